// The search over everything: / or Ctrl K opens it on every page, / again goes to the page's own search where it has
// one. What was looked at last stands first.
import { element } from "./shared.js";

const dialog = () => document.getElementById("everywhere");
const PLACE = `looked at ${document.querySelector("meta[name=person]")?.content ?? ""}`;
const KEPT = 12;
/** Pages of single records; lists and forms are found by their names. */
const OF_RECORDS = /^\/(products|categories|media|files|history|shops|channels|vocabulary\/[a-z]+)\/\d+$/;

function looked() {
  try {
    return JSON.parse(localStorage.getItem(PLACE)) ?? [];
  } catch {
    return [];
  }
}
function remember() {
  const to = location.pathname;
  const title = document.querySelector("main h1, .bar h1")?.textContent.trim() || document.title.replace(/ · .*$/, "");
  if (!OF_RECORDS.test(to) || !document.querySelector("header.top")) return;
  const others = looked().filter((one) => one.to !== to);
  localStorage.setItem(PLACE, JSON.stringify([{ title, to }, ...others].slice(0, KEPT)));
}
const plain = (text) => text.normalize("NFKD").replace(/\p{M}/gu, "").toLowerCase();
function showLooked(typed) {
  const words = plain(typed).split(/\s+/).filter(Boolean);
  const fitting = looked().filter(({ title, to }) => {
    const parts = plain(title).split(/[^\p{L}\p{N}]+/u);
    return to !== location.pathname && words.every((word) => parts.some((part) => part.startsWith(word)));
  });
  const part = document.getElementById("looked-at");
  part.hidden = !fitting.length;
  const lines = fitting.slice(0, words.length ? 4 : 8);
  const line = ({ title, to }) => element("li", {}, element("a", { href: to, textContent: title }));
  part.querySelector("ul").replaceChildren(...lines.map(line));
}
function open() {
  const found = dialog();
  if (!found || found.open) return;
  found.showModal();
  document.getElementById("find-here").hidden = !document.getElementById("find");
  const field = document.getElementById("everywhere-text");
  field.select();
  showLooked(field.value);
}
function move(event) {
  const links = [...dialog().querySelectorAll("section:not([hidden]) a")];
  const at = links.indexOf(document.activeElement);
  const next = at + (event.key === "ArrowDown" ? 1 : -1);
  event.preventDefault();
  if (next < 0) document.getElementById("everywhere-text").focus();
  else links[Math.min(next, links.length - 1)]?.focus();
}

document.addEventListener("keydown", (event) => {
  const typing = event.target.closest("input, textarea, select, [contenteditable=true]");
  const isSlash = event.key === "/" && !event.ctrlKey && !event.metaKey && !event.altKey;
  const own = document.getElementById("find");
  if (isSlash && !typing && dialog()) {
    event.preventDefault();
    open();
  } else if (isSlash && own && event.target.id === "everywhere-text" && !event.target.value) {
    event.preventDefault();
    dialog().close();
    own.focus();
    own.select();
  }
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "k" && !event.altKey && !event.shiftKey) {
    if (event.target.closest("[contenteditable=true]")) return; // there it makes a link
    event.preventDefault();
    open();
  } else if (dialog()?.open && (event.key === "ArrowDown" || event.key === "ArrowUp")) move(event);
  else if (dialog()?.open && event.key === "Enter" && event.target.id === "everywhere-text") {
    const first = dialog().querySelector("section:not([hidden]) a");
    if (!first) return;
    event.preventDefault();
    first.click();
  }
});
document.addEventListener("input", (event) => {
  if (event.target.id === "everywhere-text") showLooked(event.target.value);
});
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-everywhere]")) open();
  if (event.target === dialog()) dialog().close();
});
remember();
