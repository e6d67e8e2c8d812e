// Rows of a table of fields: added at its end, taken away, put in another order.
import { changed, DRAGGED, whenShown } from "./shared.js";
import { Sortable } from "./vendor/sortable.js";

function addRow(rows) {
  const last = rows.lastElementChild;
  const row = last.cloneNode(true);
  const place = rows.children.length;
  row.querySelectorAll("[id]").forEach((one) => {
    one.id = one.id.replace(/\d+$/, String(place));
  });
  row.querySelectorAll("label[for]").forEach((one) => {
    one.htmlFor = one.htmlFor.replace(/\d+$/, String(place));
  });
  row.querySelectorAll(".wrong, .shot > *").forEach((one) => one.remove());
  row.querySelectorAll("[data-no-picture]").forEach((one) => (one.hidden = true));
  row.querySelectorAll("input, select").forEach((field) => {
    field.removeAttribute("aria-invalid");
    if (field.tagName === "SELECT") field.selectedIndex = 0;
    else field.value = "";
  });
  rows.append(row);
  row.querySelector("input, select").focus();
}

// Where rows have a grip they are also put in order by drag.
function draggable() {
  document.querySelectorAll("[data-drag]:not([data-begun])").forEach((rows) => {
    rows.dataset.begun = "1";
    new Sortable(rows, { ...DRAGGED, handle: ".grip", onEnd: () => changed(rows.closest("form")) });
  });
}
whenShown(draggable);

function moveUp(row) {
  row.previousElementSibling?.before(row);
  row.closest("form").dispatchEvent(new Event("input", { bubbles: true }));
  row.querySelector("[data-up-row]").focus();
}

document.addEventListener("click", (event) => {
  const up = event.target.closest("[data-up-row]");
  if (up) moveUp(up.closest("[data-row]"));
  const add = event.target.closest("[data-add-row]");
  if (add) addRow(add.closest("form").querySelector("[data-quantity-rows]"));
  const drop = event.target.closest("[data-drop-row]");
  if (!drop) return;
  const row = drop.closest("[data-row]");
  const rows = row.parentElement;
  if (rows.children.length === 1) row.querySelectorAll("input").forEach((field) => (field.value = ""));
  else row.remove();
  rows.closest("form").dispatchEvent(new Event("input", { bubbles: true }));
  rows.closest("form").querySelector("[data-add-row], [data-main]").focus();
});
