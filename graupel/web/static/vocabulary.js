// Lists that are put in order by drag or keyboard, and swatches that are picked.
import { DRAGGED, shift, whenShown } from "./shared.js";
import { Sortable } from "./vendor/sortable.js";

document.addEventListener("click", (event) => {
  const row = event.target.closest("[data-sortable] tr");
  if (!row) return;
  if (event.target.closest("[data-remove-row]")) {
    row.remove();
    return;
  }
  const button = event.target.closest("[data-up], [data-down]");
  if (!button) return;
  shift(row, button.hasAttribute("data-up") ? -1 : 1);
  button.focus();
});
document.addEventListener("input", (event) => {
  if (event.target.matches("[data-pick]")) event.target.previousElementSibling.value = event.target.value.toUpperCase();
  if (event.target.matches("[name=swatch]") && /^#[0-9a-f]{6}$/i.test(event.target.value))
    event.target.nextElementSibling.value = event.target.value;
});
function sortables() {
  document.querySelectorAll("[data-sortable]:not([data-begun])").forEach((list) => {
    list.dataset.begun = "1";
    new Sortable(list, { handle: ".grip", ...DRAGGED });
  });
}
whenShown(sortables);
