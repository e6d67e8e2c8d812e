// What the page brings in moves nothing under somebody's hands: the place on the screen, the focus and the cursor stay,
// what was unfolded stays unfolded, and what comes by itself waits while somebody types there.
import { whenShown } from "./shared.js";
import { unsavedSheets } from "./sheets.js";

const TYPING = "input:not([type=checkbox], [type=radio]), textarea, select, [contenteditable=true]";
let before = null;

function comesByItself(elt) {
  return elt.getAttribute("hx-trigger")?.startsWith("every");
}
function isInUse(target) {
  const active = document.activeElement;
  return (target.contains(active) && active.matches(TYPING)) || unsavedSheets(target).length > 0;
}
document.addEventListener("htmx:beforeSwap", (event) => {
  const { target, requestConfig } = event.detail;
  if (comesByItself(requestConfig.elt) && isInUse(target)) event.detail.shouldSwap = false;
  before = event.detail.shouldSwap && document.body.contains(target) ? look(target, event.detail.xhr.status) : null;
});

function look(target, status) {
  const focused = document.activeElement === document.body ? null : document.activeElement;
  const active = target.contains(focused) ? focused : null;
  // What is typed in stays where it is, also where what comes in changes something above it.
  const seen = focused && isInSight(focused) ? focused : firstInSight(target);
  return {
    status,
    focus: active && addressOf(active),
    cursor: active && cursorOf(active),
    place: seen && addressOf(seen),
    top: seen?.getBoundingClientRect().top,
    scroll: [window.scrollX, window.scrollY],
    open: [...target.querySelectorAll("details[open]")].map(addressOf),
    inner: [...target.querySelectorAll("[class]")]
      .filter((one) => one.scrollTop || one.scrollLeft)
      .map((one) => [addressOf(one), one.scrollTop, one.scrollLeft]),
  };
}
function isInSight(element) {
  const { top, bottom } = element.getBoundingClientRect();
  return bottom > 0 && top < window.innerHeight;
}
function firstInSight(target) {
  return [...target.querySelectorAll("[id]")].find((one) => one.getBoundingClientRect().top >= 0 && isInSight(one));
}

// How an element is found again in what takes its place: by its id, or as the nth of its kind with the same words.
function addressOf(element) {
  if (element.id) return { id: element.id };
  const kind = kindOf(element);
  const words = wordsOf(element);
  return { kind, words, nth: alike(kind, words).indexOf(element) };
}
function kindOf(element) {
  const classes = [...element.classList].filter((name) => !name.startsWith("htmx-")).slice(0, 1);
  return element.localName + classes.map((name) => `.${CSS.escape(name)}`).join("");
}
function wordsOf(element) {
  const named = element.getAttribute("aria-label") || element.getAttribute("name") || element.getAttribute("href");
  if (named) return named;
  const own = element.localName === "details" ? element.querySelector("summary") : element;
  return (own?.textContent ?? "").trim().slice(0, 60);
}
function alike(kind, words) {
  return [...document.querySelectorAll(kind)].filter((one) => wordsOf(one) === words);
}
function find({ id, kind, words, nth }) {
  return id ? document.getElementById(id) : (alike(kind, words)[nth] ?? null);
}
function cursorOf(field) {
  if (field.isContentEditable) return field.editor?.state.selection.from ?? null;
  try {
    return [field.selectionStart, field.selectionEnd];
  } catch {
    return null; // a field of numbers or dates has none
  }
}
function putCursor(field, cursor) {
  if (field.isContentEditable) field.editor?.commands.setTextSelection(cursor);
  else if (cursor?.[0] !== null && cursor?.[0] !== undefined) field.setSelectionRange(...cursor);
}

whenShown(() => {
  const was = before;
  before = null;
  if (!was) return;
  for (const address of was.open) find(address)?.setAttribute("open", "");
  for (const [address, top, left] of was.inner) find(address)?.scrollTo(left, top);
  if (was.status >= 400 && goToRefusal()) return;
  const lost = !document.activeElement || document.activeElement === document.body;
  const focus = was.focus && find(was.focus);
  if (focus && (lost || document.activeElement === focus)) {
    focus.focus({ preventScroll: true });
    putCursor(focus, was.cursor);
  }
  const place = was.place && find(was.place);
  if (place) window.scrollBy(0, place.getBoundingClientRect().top - was.top);
  else window.scrollTo(...was.scroll);
}, "last");

// Why something was refused comes into sight, with the focus: it is what is to be read next.
function goToRefusal() {
  const told = document.getElementById("refused") || document.getElementById("conflict");
  if (!told) return false;
  told.scrollIntoView({ block: "center" });
  told.focus({ preventScroll: true });
  return true;
}
