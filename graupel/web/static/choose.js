// Choosers: search, choose, and make in place what is not there yet.
import { ask, button, element, whenShown } from "./shared.js";
import { TomSelect } from "./vendor/tom-select.js";

/** Makes what was typed; null where that was refused, or where something much like it is there and is asked about. */
async function make(select, typed, sure = false) {
  // Categories are made by their path, words by their name.
  const { make: address, of: field = null } = select.dataset;
  const made = await ask(address, { name: typed, path: typed, field, sure: sure ? "1" : null });
  if (made?.near) askWhich(select, typed, made.near);
  return made && !made.near ? { value: made.value, text: made.text } : null;
}
function take(select, option) {
  const chooser = select.tomselect;
  if (!chooser.options[option.value]) chooser.addOption(option);
  chooser.addItem(option.value);
  chooser.setTextboxValue("");
  chooser.refreshOptions(false);
}
const plain = (text) =>
  text
    .toLowerCase()
    .replace(/\s*>\s*/g, ">")
    .replace(/\s+/g, " ")
    .trim();
function called(select, typed) {
  return Object.values(select.tomselect.options).find((one) => one.value !== "" && plain(one.text) === plain(typed));
}
function alike(select, typed) {
  const found = Object.values(select.tomselect.options).filter(
    (one) => one.value !== "" && plain(one.text).includes(plain(typed)),
  );
  return found
    .sort((a, b) => a.text.length - b.text.length)
    .slice(0, 3)
    .map((one) => ({ text: one.text, why: "" }));
}

// Something much like it is there: take that, or make the new one all the same.
function askWhich(select, typed, near) {
  const field = select.closest(".field") || select.parentElement;
  field.querySelectorAll(".near").forEach((old) => old.remove());
  const note = element("div", { className: "near help" });
  note.setAttribute("role", "alert");
  const named = near.map(({ text, why }, place) => `${place ? " or " : ""}“${text}”${why ? ` (${why})` : ""}`);
  note.append(near.length ? `“${typed}” is much like ${named.join("")}. ` : `Nothing is called “${typed}”. `);
  const over = (act) => async () => {
    note.remove();
    await act();
    select.tomselect.focus();
  };
  const all = Object.values(select.tomselect.options);
  for (const { text } of near) {
    const option = all.find((one) => one.text === text);
    if (option)
      note.append(
        button(
          `Take ${text}`,
          over(() => take(select, option)),
        ),
        " ",
      );
  }
  const anyway = async () => {
    const made = await make(select, typed, true);
    if (made) take(select, made);
  };
  if (select.dataset.make) note.append(button(`Make ${typed}`, over(anyway)), " ");
  note.append(
    button(
      "Leave it out",
      over(() => select.tomselect.setTextboxValue("")),
    ),
  );
  field.append(note);
  note.querySelector("button").focus();
}

/** What was typed into choosers and not confirmed is taken where it is clear what is meant; false where it is asked. */
export async function settle(form) {
  for (const select of [...form.elements].filter((one) => one.tomselect)) {
    const typed = select.tomselect.control_input.value.trim();
    if (typed && !(await settleOne(select, typed))) return false;
  }
  return true;
}
async function settleOne(select, typed) {
  const option = called(select, typed);
  const near = option ? [] : alike(select, typed);
  if (!option && (near.length || !select.dataset.make)) {
    askWhich(select, typed, near);
    return false;
  }
  const found = option ?? (await make(select, typed));
  if (found) take(select, found);
  return Boolean(found);
}

// Enter takes what is called so, or what one went to with the arrows. A name that only begins like another one is asked
// about, so that “Tarn” never becomes “Tarnlight” unseen.
function mindEnter(select) {
  const { control_input: field } = select.tomselect;
  let went = false;
  field.addEventListener("input", () => {
    went = false;
  });
  field.addEventListener(
    "keydown",
    (event) => {
      if (event.key === "ArrowDown" || event.key === "ArrowUp") went = true;
      const typed = field.value.trim();
      if (event.key !== "Enter" || !typed || went || event.ctrlKey || event.metaKey) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      settleOne(select, typed);
    },
    true,
  );
}
// Whoever goes on to the next field leaves what was typed standing: it is not chosen yet, and not lost either.
function keepText(chooser) {
  let typed = "";
  chooser.hook("before", "onBlur", () => {
    typed = chooser.control_input.value;
  });
  chooser.hook("after", "onBlur", () => {
    if (!typed.trim()) return;
    chooser.setTextboxValue(typed);
    chooser.control_input.classList.add("open-text");
    chooser.wrapper.title = `“${typed}” is not chosen yet: press Enter in this field, or save.`;
  });
  chooser.on("focus", () => {
    chooser.control_input.classList.remove("open-text");
    chooser.wrapper.removeAttribute("title");
  });
}

function swatch(option, safe) {
  if (option.picture) return `<img class="swatch" src="${safe(option.picture)}" alt="">`;
  if (!option.swatch) return "";
  const square = `<rect width="10" height="10" fill="${safe(option.swatch)}"/>`;
  return `<svg class="swatch" viewBox="0 0 10 10" aria-hidden="true">${square}</svg>`;
}

function choose(select) {
  const several = select.multiple;
  new TomSelect(select, {
    refreshThrottle: 0, // a quick typist’s Enter takes what was typed, not what stood there before
    maxOptions: 300,
    maxItems: several ? null : 1,
    allowEmptyOption: false,
    placeholder: select.dataset.example,
    persist: true,
    hidePlaceholder: true,
    plugins: several ? ["remove_button"] : { clear_button: { title: "Choose nothing" } },
    create: select.dataset.make ? (typed, done) => make(select, typed).then((made) => done(made ?? undefined)) : false,
    createFilter: (typed) => /\S/.test(typed),
    render: {
      option: (data, safe) => `<div>${swatch(data, safe)}${safe(data.text)}</div>`,
      item: (data, safe) => `<div>${swatch(data, safe)}${safe(data.text)}</div>`,
      option_create: (data, safe) =>
        `<div class="create">Make the ${safe(select.dataset.word || "value")} <b>${safe(data.input)}</b></div>`,
      no_results: () => '<div class="no-results">Nothing fits.</div>',
    },
  });
  mindEnter(select);
  keepText(select.tomselect);
}

/** Every select that is to be one becomes a chooser. */
export function choosers() {
  document.querySelectorAll("select[data-choose]:not([disabled])").forEach((select) => {
    if (!select.tomselect) choose(select);
  });
}
whenShown(choosers);
