// What is typed into the product's form and not saved: counted, and warned of before the page is left.
// The form's fields stand in the parts, not all inside the form element: other parts stand between them.
import { counted } from "./shared.js";

/** Calls `then` when something of this form was typed or chosen. */
export function whenTyped(form, then) {
  const own = (event) => {
    if (event.target === form || event.target.form === form) then(event);
  };
  for (const kind of ["input", "change"]) document.getElementById("parts").addEventListener(kind, own);
}

let kept = null;
const NOT_TYPED = /^(csrf|version|seen|has|then|status|known-attribute|attribute-for|new-.*|theirs_.*|choose_.*)$/;

/** The form's fields that a person fills, by name. */
export function snapshot(form) {
  const data = new Map();
  for (const [name, value] of new FormData(form))
    if (!NOT_TYPED.test(name)) data.set(name, `${data.get(name) || ""}\u0000${value}`);
  return data;
}
/** How many fields differ from what was saved last. */
export function unsaved(form) {
  const now = snapshot(form);
  return [...new Set([...now.keys(), ...kept.keys()])].filter((name) => now.get(name) !== kept.get(name)).length;
}
export function showUnsaved(form) {
  const count = unsaved(form);
  const place = document.querySelector("[data-unsaved]");
  place.hidden = !count;
  place.textContent = count ? `${counted(count, "change")} not saved` : "";
  document.querySelector("[data-said]").hidden = Boolean(count);
}
window.addEventListener("beforeunload", (event) => {
  const form = document.querySelector("form[data-guard]");
  if (form && kept && unsaved(form) && !form.dataset.leaving) event.preventDefault();
});
document.addEventListener("htmx:beforeOnLoad", (event) => {
  if (event.detail.xhr.getResponseHeader("HX-Redirect")) {
    const form = document.querySelector("form[data-guard]");
    if (form) form.dataset.leaving = "1";
  }
});

/** What the form holds counts as saved; with `refused`, nothing of it does, unless something was saved before. */
export function beginUnsaved(form, refused) {
  if (!refused || !kept) kept = refused ? new Map() : snapshot(form);
}
