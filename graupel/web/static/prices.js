// Prices: the time line, rows that are added, and for what of a product a sale is.
import { choosers } from "./choose.js";
import "./timeline.js";

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
  row.querySelectorAll(".wrong").forEach((one) => one.remove());
  row.querySelectorAll("input, select").forEach((field) => {
    field.removeAttribute("aria-invalid");
    if (field.tagName === "SELECT") field.selectedIndex = 0;
    else field.value = "";
  });
  rows.append(row);
  row.querySelector("input, select").focus();
}

document.addEventListener("click", (event) => {
  const add = event.target.closest("[data-add-row]");
  if (add) addRow(add.closest("form").querySelector("[data-quantity-rows]"));
  const drop = event.target.closest("[data-drop-row]");
  if (!drop) return;
  const row = drop.closest("[data-row]");
  const rows = row.parentElement;
  if (rows.children.length === 1) row.querySelectorAll("input").forEach((field) => (field.value = ""));
  else row.remove();
  rows.closest("form").dispatchEvent(new Event("input", { bubbles: true }));
  rows.closest("form").querySelector("[data-add-row]").focus();
});

document.addEventListener("change", (event) => {
  if (!event.target.matches("[data-reach]")) return;
  const form = event.target.form;
  for (const part of form.querySelectorAll("[data-for-reach]")) {
    const isChosen = part.dataset.forReach === event.target.value;
    part.hidden = !isChosen;
    const select = part.querySelector("select");
    select.disabled = !isChosen;
    select.tomselect?.[isChosen ? "enable" : "disable"]();
  }
  choosers();
});

// What a sale would do is seen while it is typed.
for (const kind of ["input", "change"])
  document.addEventListener(kind, (event) => {
    const preview = document.querySelector("[data-preview]");
    if (preview && event.target.closest?.("#sale-form")) htmx.trigger(preview, "look");
  });
