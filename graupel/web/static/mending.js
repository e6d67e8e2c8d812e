// What a product lacks is filled in where it is listed: the field itself comes to the list, and goes back to its part
// when another one comes. Enter goes on to the next, Ctrl . to the first from anywhere.
import { element } from "./shared.js";

let away = null;

const panel = () => document.getElementById("mending");
const rows = () => [...document.querySelectorAll("#mirror [data-mend]")];
const TYPED = "input:not([type=hidden], [type=file], [type=url]), textarea, select";

/** The field is where it belongs again; gives its name, null where none was away. */
function putBack() {
  if (!away) return null;
  const { name, field, place } = away;
  away = null;
  if (document.body.contains(place)) place.replaceWith(field);
  panel()?.setAttribute("hidden", "");
  return name;
}
function bring(name) {
  if (away?.name !== name) putBack();
  const field = document.getElementById(`field-${name}`);
  if (!field || !panel()) return;
  if (!away) {
    const at = Math.max(
      0,
      rows().findIndex((row) => row.dataset.mend === name),
    );
    const place = element("div", {
      className: "muted small away",
      textContent: "It stands beside, at what is missing.",
    });
    place.style.minHeight = `${field.offsetHeight}px`;
    field.replaceWith(place);
    panel().querySelector("[data-mended]").replaceChildren(field);
    panel().querySelector("[data-mend-why]").textContent = rows()[at]?.previousElementSibling.textContent ?? "";
    panel().hidden = false;
    away = { name, field, place, at };
  }
  panel().scrollIntoView({ block: "nearest" });
  focusIn(field);
}
function focusIn(field) {
  const fields = ["[contenteditable=true]", TYPED, "button"].flatMap((which) => [...field.querySelectorAll(which)]);
  const typed = fields.find((one) => one.offsetParent !== null || one.tomselect);
  if (typed?.tomselect) typed.tomselect.focus();
  else typed?.focus({ preventScroll: true });
}
function next() {
  const found = rows();
  const now = found.findIndex((row) => row.dataset.mend === away?.name);
  const others = found.filter((row) => row.dataset.mend !== away?.name);
  const one = now < 0 ? (found[away?.at ?? 0] ?? others[0]) : (found.slice(now + 1)[0] ?? others[0]);
  if (one) bring(one.dataset.mend);
  else if (now < 0) finish();
}
function finish() {
  putBack();
  const [live, main] = ["[data-then=live]", "[data-main]"].map((which) => document.querySelector(`.bar ${which}`));
  (live ?? main)?.focus();
}
function close() {
  const name = putBack();
  const row = rows().find((one) => one.dataset.mend === name);
  (row ?? document.querySelector(".bar [data-main]"))?.focus();
}

document.addEventListener("click", (event) => {
  const row = event.target.closest("[data-mend]");
  if (row) bring(row.dataset.mend);
  if (event.target.closest("[data-mend-next]")) next();
  if (event.target.closest("[data-mend-close]")) close();
});
document.addEventListener(
  "keydown",
  (event) => {
    if (event.isComposing || document.querySelector("dialog[open]")) return;
    if (event.key === "." && (event.ctrlKey || event.metaKey) && rows().length) {
      event.preventDefault();
      next();
      return;
    }
    if (!away?.field.contains(event.target)) return;
    if (event.key === "Escape" && !event.target.closest(".dropdown-active")) {
      event.preventDefault();
      close();
    }
    // Enter would save the product; a chooser and a text of several lines need it themselves.
    if (event.key === "Enter" && event.target.matches("input:not([role=combobox])") && !event.ctrlKey) {
      event.preventDefault();
      event.stopPropagation();
      next();
    }
  },
  true,
);
// Where one of a list is chosen there is nothing more to do.
document.addEventListener("change", (event) => {
  const { target } = event;
  if (target.tomselect && !target.multiple && target.value && away?.field.contains(target)) window.setTimeout(next);
});
// What takes the place of the part that the field belongs to must find it there.
document.addEventListener(
  "htmx:beforeSwap",
  (event) => {
    if (away && event.detail.shouldSwap !== false && event.detail.target.contains(away.place)) close();
  },
  true,
);
