// What was typed and not saved is offered again after a closed tab or a crash.
import { OF_PICTURES, putPicturesBack } from "./pictures.js";
import { button, changed, counted, element } from "./shared.js";
import { snapshot, unsaved, whenTyped } from "./unsaved.js";

function fieldsOf(form) {
  const data = {};
  for (const name of snapshot(form).keys()) data[name] = new FormData(form).getAll(name);
  for (const mark of [...form.elements].filter((one) => one.name === "has")) data[mark.value] = data[mark.value] || [];
  return data;
}
/** Keeps what is typed, and offers what was kept before. */
export function drafts(form) {
  const key = `unsaved ${form.dataset.draft}`;
  const place = document.getElementById("unsaved-draft");
  let kept = null;
  try {
    kept = JSON.parse(localStorage.getItem(key));
  } catch {
    localStorage.removeItem(key);
  }
  if (kept && !document.getElementById("refused") && !document.getElementById("conflict") && !unsaved(form))
    offer(form, kept, key, place);
  let waiting = 0;
  const keep = () => {
    clearTimeout(waiting);
    waiting = setTimeout(() => {
      if (!document.body.contains(form)) return;
      if (unsaved(form)) localStorage.setItem(key, JSON.stringify({ at: Date.now(), fields: fieldsOf(form) }));
    }, 300);
  };
  whenTyped(form, keep);
}
function offer(form, kept, key, place) {
  const now = fieldsOf(form);
  const differing = Object.keys(kept.fields).filter(
    (name) => JSON.stringify(kept.fields[name]) !== JSON.stringify(now[name] || []),
  );
  if (!differing.length) {
    localStorage.removeItem(key);
    return;
  }
  const when = new Date(kept.at).toLocaleString();
  const textContent = `What you typed here on ${when} was not saved (${counted(differing.length, "field")}).`;
  const back = button(
    "Put it back",
    async () => {
      note.remove();
      await putBack(form, kept.fields, differing);
    },
    "btn",
  );
  const drop = button(
    "Drop it",
    () => {
      localStorage.removeItem(key);
      note.remove();
    },
    "btn",
  );
  const actions = element("div", { className: "actions" }, back, drop);
  const note = element("div", { className: "note caution" }, element("p", { textContent }), actions);
  note.setAttribute("role", "status");
  place.replaceChildren(note);
}
async function putBack(form, fields, names) {
  for (const name of names) {
    if (OF_PICTURES.includes(name)) continue;
    for (const field of [...form.elements].filter((one) => one.name === name)) refill(field, fields[name]);
  }
  if (names.some((name) => OF_PICTURES.includes(name))) await putPicturesBack(fields);
  changed(form);
}
function refill(field, values) {
  const chooser = field.tomselect;
  if (chooser) {
    for (const value of values) if (value && !chooser.options[value]) chooser.addOption({ value, text: value });
    chooser.setValue(field.multiple ? values : values[0] || "");
  } else if (field.type === "checkbox") field.checked = values.includes(field.value);
  else {
    field.value = values[0] || "";
    const rich = field.closest("[data-rich-text]");
    if (rich?.fill) rich.fill(field.value);
  }
}
// A saved form comes back with other words than it went with: then nothing is unsaved any more.
document.addEventListener("htmx:afterRequest", (event) => {
  const form = event.detail.elt;
  if (form.id === "product-form" && event.detail.successful) localStorage.removeItem(`unsaved ${form.dataset.draft}`);
});
