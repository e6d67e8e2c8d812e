// Translating by keyboard: from text to text, kept as one goes.
import { changed } from "./shared.js";

function fields() {
  return [...document.querySelectorAll("[data-pair] .into [name=value]")];
}
function standing(field) {
  return field.closest("[data-pair]").querySelector(".at").dataset.state;
}
document.addEventListener("keydown", (event) => {
  const field = event.target.closest(".into [name=value]");
  if (!field) return;
  const pair = field.closest("[data-pair]");
  if (event.key === "Enter" && (event.ctrlKey || event.metaKey || field.tagName === "INPUT")) {
    event.preventDefault();
    const all = fields();
    const rest = all.slice(all.indexOf(field) + 1);
    const next = event.ctrlKey || event.metaKey ? rest.find((one) => standing(one) !== "done") : rest[0];
    const later = document.querySelector("a[rel=next]");
    if (next) next.focus();
    else {
      field.blur();
      if (later) later.focus();
    }
  }
  if (event.altKey && event.code === "KeyC" && !field.value.trim()) {
    event.preventDefault();
    const original = pair.querySelector("[data-original]");
    field.value = original ? original.content.textContent : pair.querySelector(".from").textContent.trim();
    field.dataset.filled = "1";
  }
  if (event.altKey && event.code === "KeyH") {
    event.preventDefault();
    const confirm = pair.querySelector("[data-confirm-translation]");
    if (confirm) confirm.click();
  }
});
// What was filled in by a key counts as typed when the field is left.
document.addEventListener("focusout", (event) => {
  if (!event.target.dataset.filled) return;
  delete event.target.dataset.filled;
  changed(event.target, "change");
});
