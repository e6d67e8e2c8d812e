// Acts are done once: each carries a key by which the server knows a repetition, and a second press while the first is
// under way is none.
import { freshKey, say } from "./shared.js";
import { signInAgain } from "./session.js";

const keys = new WeakMap();
function keysOf(element) {
  if (!keys.has(element)) keys.set(element, new Map());
  return keys.get(element);
}
// A save of what is there already, a look, a step: done again, they do the same.
function mayRepeat(element) {
  return element.matches("form[data-save], [data-looks]") || element.closest("[data-repeats]");
}
document.addEventListener("htmx:configRequest", (event) => {
  const { verb, path, elt, headers } = event.detail;
  if (verb === "get" || mayRepeat(elt) || (elt.form && mayRepeat(elt.form) && elt.type === "submit")) return;
  const mine = keysOf(elt);
  if (!mine.has(path)) mine.set(path, freshKey());
  headers["Idempotency-Key"] = mine.get(path);
});
// The next act of the same button is another one; unless it is not known whether this one was done.
document.addEventListener("htmx:beforeOnLoad", (event) => {
  const { xhr, requestConfig } = event.detail;
  const away = xhr.getResponseHeader("HX-Redirect") || xhr.getResponseHeader("HX-Refresh");
  if (xhr.status !== 503 && xhr.status !== 401 && !away) keys.get(requestConfig.elt)?.clear();
});
function isUnderWay(element) {
  return Boolean(element?.classList.contains("htmx-request")) && !element.hasAttribute("hx-sync");
}
document.addEventListener(
  "click",
  (event) => {
    const pressed = event.target.closest?.("[hx-post], button");
    const form = pressed?.type === "submit" ? pressed.form : null;
    if (!isUnderWay(pressed) && !isUnderWay(form)) return;
    event.preventDefault();
    event.stopImmediatePropagation();
  },
  true,
);

// --- forms that the browser sends by itself --------------------------------------------------------------------------
document.addEventListener(
  "submit",
  async (event) => {
    const form = event.target;
    if (isUnderWay(form)) {
      event.preventDefault();
      event.stopImmediatePropagation();
      return;
    }
    const byBrowser =
      form.method === "post" && !form.hasAttribute("hx-post") && document.querySelector("meta[name=csrf]");
    if (!byBrowser || form.closest("dialog") || form.matches("[data-new-tree]")) return;
    if (form.dataset.sent === "now") {
      form.dataset.sent = "yes";
      return;
    }
    event.preventDefault();
    event.stopImmediatePropagation();
    if (form.dataset.sent) return;
    form.dataset.sent = "asking";
    if (await isIn()) {
      const address = new URL(form.action, window.location.href);
      address.searchParams.set("once", freshKey());
      form.action = address;
      form.dataset.sent = "now";
      form.requestSubmit(event.submitter);
    } else delete form.dataset.sent;
  },
  true,
);
// A form that leaves the page takes what was typed with it: so it is known first that somebody is there to take it.
async function isIn() {
  try {
    return await signInAgain();
  } catch {
    say("The server can’t be reached. What you typed is still here; try again in a moment.");
    return false;
  }
}
window.addEventListener("pageshow", () => {
  for (const form of document.querySelectorAll("form[data-sent]")) delete form.dataset.sent;
});
