// What every page shares. The order matters: each listens to what the one before it decided.
import "./session.js";
import "./acts.js";
import "./refusals.js";
import "./staying.js";
import "./saving.js";
import "./done.js";
import "./everywhere.js";
import "./unsaved.js";
import "./why.js";
import { token } from "./shared.js";

document.addEventListener("htmx:configRequest", (event) => {
  if (token() && event.detail.verb !== "get") event.detail.headers["X-CSRF-Token"] = token();
});

document.addEventListener("keydown", (event) => {
  if (event.key === "Escape")
    document.querySelectorAll("details.who[open]").forEach((menu) => {
      menu.open = false;
      menu.querySelector("summary").focus();
    });
});
// ? shows the keys; g and a letter goes to a page. Neither while somebody types.
let going = 0;
document.addEventListener("keydown", (event) => {
  const typing = event.target.closest("input, textarea, select, [contenteditable=true], #goods td, [role=gridcell]");
  if (typing || event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return;
  if (event.key === "?") {
    event.preventDefault();
    document.getElementById("keys")?.showModal();
    return;
  }
  if (going && /^[a-z]$/.test(event.key)) {
    const link = document.querySelector(`[data-go="${event.key}"]`);
    if (link) {
      event.preventDefault();
      link.click();
    }
  }
  going =
    event.key === "g"
      ? window.setTimeout(() => {
          going = 0;
        }, 1500)
      : 0;
});
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-help]")) document.getElementById("keys").showModal();
  if (event.target.closest("[data-close-keys]")) document.getElementById("keys").close();
  const unfolds = event.target.closest("[data-unfolds]");
  if (unfolds)
    unfolds.setAttribute("aria-expanded", document.getElementById(unfolds.dataset.unfolds).classList.toggle("shown"));
  document.querySelectorAll("details.who[open]").forEach((menu) => {
    if (!menu.contains(event.target)) menu.open = false;
  });
});
