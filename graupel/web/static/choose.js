// Choosers: search, choose, and make in place what is not there yet.
import { ask, button, element, whenShown } from "./shared.js";
import { TomSelect } from "./vendor/tom-select.js";

async function makeInPlace(select, typed, done, sure) {
  // Categories are made by their path, words by their name.
  const made = await ask(select.dataset.make, { name: typed, path: typed, sure: sure ? "1" : null });
  if (!made) done();
  else if (made.near) {
    done();
    askWhich(select, typed, made.near);
  } else done({ value: made.value, text: made.text });
}

// Something much like it is there: take that, or make the new one all the same.
function askWhich(select, typed, near) {
  const field = select.closest(".field") || select.parentElement;
  field.querySelectorAll(".near").forEach((old) => old.remove());
  const note = element("div", { className: "near help" });
  note.setAttribute("role", "alert");
  note.append(
    `“${typed}” is much like `,
    ...near.slice(0, 3).map((one, place) => `${place ? " or " : ""}“${one.text}” (${one.why})`),
    ". ",
  );
  const take = (text) => {
    const option = Object.values(select.tomselect.options).find((one) => one.text === text);
    if (option) select.tomselect.addItem(option.value);
    note.remove();
  };
  for (const one of near.slice(0, 3))
    note.append(
      button(`Take ${one.text}`, () => take(one.text)),
      " ",
    );
  const anyway = (made) => {
    if (made) {
      select.tomselect.addOption(made);
      select.tomselect.addItem(made.value);
    }
  };
  note.append(
    button(`Make ${typed}`, () => {
      note.remove();
      makeInPlace(select, typed, anyway, true);
    }),
  );
  field.append(note);
  note.querySelector("button").focus();
}

function swatch(option, plain) {
  if (option.picture) return `<img class="swatch" src="${plain(option.picture)}" alt="">`;
  if (!option.swatch) return "";
  const square = `<rect width="10" height="10" fill="${plain(option.swatch)}"/>`;
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
    plugins: several ? ["remove_button"] : ["clear_button"],
    create: select.dataset.make ? (typed, done) => makeInPlace(select, typed, done, false) : false,
    createFilter: (typed) => /\S/.test(typed),
    render: {
      option: (data, plain) => `<div>${swatch(data, plain)}${plain(data.text)}</div>`,
      item: (data, plain) => `<div>${swatch(data, plain)}${plain(data.text)}</div>`,
      option_create: (data, plain) =>
        `<div class="create">Make the ${plain(select.dataset.word || "value")} <b>${plain(data.input)}</b></div>`,
      no_results: () => '<div class="no-results">Nothing fits.</div>',
    },
  });
}

function choosers() {
  document.querySelectorAll("select[data-choose]:not([disabled])").forEach((select) => {
    if (!select.tomselect) choose(select);
  });
}
whenShown(choosers);
