// What every page shares. The order matters: each listens to what the one before it decided.
import "./session.js";
import "./acts.js";
import "./refusals.js";
import "./staying.js";
import "./saving.js";
import "./unsaved.js";
import { token } from "./shared.js";

document.addEventListener("htmx:configRequest", (event) => {
  if (token() && event.detail.verb !== "get") event.detail.headers["X-CSRF-Token"] = token();
});

document.addEventListener("keydown", (event) => {
  const typing = event.target.closest("input, textarea, select, [contenteditable=true]");
  if (event.key === "/" && !typing && !event.ctrlKey && !event.metaKey && !event.altKey) {
    const find = document.getElementById("find");
    if (find) {
      event.preventDefault();
      find.focus();
      find.select();
    }
  }
  if (event.key === "Escape")
    document.querySelectorAll("details.who[open]").forEach((menu) => {
      menu.open = false;
      menu.querySelector("summary").focus();
    });
});
document.addEventListener("click", (event) => {
  const unfolds = event.target.closest("[data-unfolds]");
  if (unfolds)
    unfolds.setAttribute("aria-expanded", document.getElementById(unfolds.dataset.unfolds).classList.toggle("shown"));
  document.querySelectorAll("details.who[open]").forEach((menu) => {
    if (!menu.contains(event.target)) menu.open = false;
  });
});
