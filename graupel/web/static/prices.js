// Prices: the time line, and for what of a product a sale is.
import { choosers } from "./choose.js";
import "./rows.js";
import "./timeline.js";

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
