// What was done, said where it can be read: the sentence of the change set, with the way to take it back. Where the
// page goes on to another one, it is said there.
import { say, tell } from "./shared.js";

const KEY = "graupel-done";

function of(xhr) {
  const said = xhr.getResponseHeader("X-Done");
  return said ? { said: decodeURIComponent(said), set: xhr.getResponseHeader("X-Done-Set") } : null;
}
/** Whether what was brought in says by itself what was done. */
const saysItself = (part) =>
  [...part.querySelectorAll("[role=status]:not([data-unsaved]), [role=alert]")].some((one) => one.textContent.trim());

document.addEventListener("htmx:beforeOnLoad", ({ detail: { xhr } }) => {
  const done = of(xhr);
  const goesOn = xhr.getResponseHeader("HX-Redirect") || xhr.getResponseHeader("HX-Refresh");
  if (done && goesOn) sessionStorage.setItem(KEY, JSON.stringify(done));
});
document.addEventListener("htmx:afterSettle", ({ detail: { xhr, elt } }) => {
  const done = xhr && of(xhr);
  if (!done) return;
  if (saysItself(elt)) say("");
  else tell(done.said, done.set);
});
document.addEventListener("htmx:afterRequest", ({ detail: { xhr } }) => {
  const done = xhr && xhr.status === 204 && of(xhr);
  if (done && !xhr.getResponseHeader("HX-Redirect") && !xhr.getResponseHeader("HX-Refresh")) tell(done.said, done.set);
});

function sayWhatWasDone() {
  const carried = document.querySelector("meta[name=done]");
  const kept = sessionStorage.getItem(KEY);
  sessionStorage.removeItem(KEY);
  if (document.querySelector("main .note.good, main .toast-line:not(:empty)")) return;
  if (kept) tell(JSON.parse(kept).said, JSON.parse(kept).set);
  else if (carried) tell(carried.content, carried.dataset.set);
}
sayWhatWasDone();
