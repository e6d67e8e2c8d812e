// Typing is not lost: what is not saved is counted, kept, carried through what the page brings in, and warned of before
// the page is left. One place for every form of every page; sheets.js says what a form holds.
import { forget, keep, offer, offerWhatComesLater, putBack, typedIn } from "./kept.js";
import { counted, element, whenShown } from "./shared.js";
import {
  contents,
  countsAsSaved,
  differing,
  isKnown,
  looseText,
  sheetOf,
  sheets,
  titleOf,
  unsavedIn,
  unsavedSheets,
} from "./sheets.js";

const begun = new WeakSet();
let refused = false; // the answer that was brought in last says that nothing was saved
let step = ""; // the sheet that it goes on with, without having saved it
let held = []; // what was typed in parts that are being replaced
let leaving = false;

function begin(sheet) {
  const place = sheet.aside ?? sheet.form;
  if (begun.has(place)) return;
  begun.add(place);
  const goesOn = isKnown(sheet) && (refused || step === sheet.key);
  if (!goesOn) countsAsSaved(sheet);
  const mine = held.find((one) => one.key === sheet.key);
  if (mine) putBack(sheet, mine);
  else if (!goesOn) offer(sheet);
}
whenShown(() => {
  for (const sheet of sheets()) begin(sheet);
  held = held.filter((one) => !sheets().some((sheet) => sheet.key === one.key));
  [refused, step] = [false, ""];
  show();
}, "last");
document.addEventListener("DOMContentLoaded", offerWhatComesLater);

// --- counted, and kept --------------------------------------------------------------------------------------------
function show() {
  const main = document.querySelector("form[data-save]");
  const all = unsavedSheets();
  const place = placeToTell(main);
  if (!place) return;
  const mine = main && all.find((one) => one.form === main && !one.aside);
  const others = all.filter((one) => one !== mine && (one.aside ?? one.form).dataset.title);
  const count = mine ? unsavedIn(mine).length : 0;
  const parts = count ? [`${counted(count, "change")} not saved`] : [];
  if (others.length) parts.push(`typed and not done: ${others.map(titleOf).join(", ")}`);
  place.hidden = !parts.length;
  place.textContent = parts.join("; ");
  const said = document.querySelector("[data-said]");
  if (said) said.hidden = count > 0;
}
function placeToTell(main) {
  const there = document.querySelector("[data-unsaved]");
  const button =
    main && !there && document.querySelector(`button[data-main][form="${main.id}"], form[data-save] [data-main]`);
  if (!button) return there;
  const place = element("span", { className: "muted unsaved", hidden: true });
  place.setAttribute("data-unsaved", "");
  place.setAttribute("role", "status");
  button.after(place);
  return place;
}
const waiting = new Map();
function typed(event) {
  const sheet = sheetOf(event.target);
  if (!sheet || !isKnown(sheet)) return;
  show();
  clearTimeout(waiting.get(sheet.key));
  waiting.set(
    sheet.key,
    setTimeout(() => keepNow(sheet), 300),
  );
}
function keepNow(sheet) {
  waiting.delete(sheet.key);
  if (document.body.contains(sheet.form)) keep(sheet);
}
for (const kind of ["input", "change"]) document.addEventListener(kind, typed);
// A tab that is put aside may be closed without another word.
document.addEventListener("visibilitychange", () => {
  if (document.visibilityState === "hidden" && !leaving) for (const sheet of unsavedSheets()) keep(sheet);
});

// --- sent, saved, brought in --------------------------------------------------------------------------------------
// What a request takes with it: the sheet of its form or button; nothing where it only looks.
const sent = new WeakMap();
function sheetSent(detail) {
  const config = detail.requestConfig ?? detail;
  return config.verb === "get" || config.elt.matches("[data-looks]") ? null : sheetOf(config.elt);
}
document.addEventListener("htmx:beforeSend", (event) => {
  const sheet = sheetSent(event.detail);
  if (sheet) sent.set(event.detail.xhr, contents(sheet));
});
// A step of a longer act (an attribute more, what a condition would do) saves nothing; its last button does.
function isStep(elt) {
  return elt.closest("[data-redraw]") && !elt.hasAttribute("data-ends");
}
document.addEventListener("htmx:beforeOnLoad", (event) => {
  const { xhr, requestConfig } = event.detail;
  const sheet = sheetSent(event.detail);
  const worked = xhr.status >= 200 && xhr.status < 300;
  if (sheet && worked && !isStep(requestConfig.elt)) {
    clearTimeout(waiting.get(sheet.key));
    waiting.delete(sheet.key);
    countsAsSaved(sheet, sent.get(xhr));
    keep(sheet);
  }
  // Whoever deletes something was asked about it, and about nothing that was typed into it.
  const away = xhr.getResponseHeader("HX-Redirect") || xhr.getResponseHeader("HX-Refresh");
  if (worked && away && requestConfig.elt.closest("[hx-confirm]")) leave();
});
function leave() {
  leaving = true;
  for (const sheet of unsavedSheets()) forget(sheet);
}
document.addEventListener("htmx:beforeSwap", (event) => {
  const { xhr, target, requestConfig, shouldSwap, swapOverride, etc } = event.detail;
  if (!shouldSwap || !replaces(requestConfig.elt, target, swapOverride || etc.swapOverride)) return;
  const sheet = sheetSent(event.detail);
  refused = xhr.status >= 400;
  step = sheet && isStep(requestConfig.elt) ? sheet.key : "";
  const inside = (one) => target.contains(one.aside ?? one.form);
  held = [];
  for (const one of sheets().filter(inside)) {
    const since = one.key === sheet?.key && sent.get(xhr);
    const found = since ? typedSince(one, since) : typedIn(one);
    if (Object.keys(found.fields).length) held.push({ key: one.key, ...found, base: since ? null : found.base });
  }
});
// What was typed while the answer was on its way. The answer shows all else as it was sent.
function typedSince(sheet, before) {
  const now = contents(sheet);
  return { fields: Object.fromEntries(differing(before, now).map((name) => [name, now[name] ?? []])) };
}
function replaces(elt, target, override) {
  const swap = override || elt.closest("[hx-swap]")?.getAttribute("hx-swap") || "innerHTML";
  return /^(inner|outer)HTML/.test(swap) && target !== document.body;
}

// --- before it is left --------------------------------------------------------------------------------------------
window.addEventListener("beforeunload", (event) => {
  if (leaving) return;
  for (const sheet of unsavedSheets()) keep(sheet);
  if (unsavedSheets().length || looseText()) event.preventDefault();
});
// Something else is to take the place of what is being typed in.
document.addEventListener("htmx:confirm", (event) => {
  const { verb, target, elt, etc, question, issueRequest } = event.detail;
  if (verb !== "get" || question || !replaces(elt, target, etc?.swapOverride)) return;
  if (elt.getAttribute("hx-trigger")?.startsWith("every")) return;
  const lost = unsavedSheets(target).filter((one) => target.contains(one.aside ?? one.form));
  if (!lost.length) return;
  event.preventDefault();
  for (const sheet of lost) keep(sheet);
  const what = lost.map(titleOf).join(", ");
  if (window.confirm(`What you typed (${what}) is not saved. Go on? It is offered again when you come back here.`))
    issueRequest(true);
});
document.addEventListener("submit", (event) => {
  const form = event.target;
  if (event.defaultPrevented || form.hasAttribute("hx-post") || form.method !== "post") return;
  const sheet = sheetOf(form);
  if (!sheet) return;
  countsAsSaved(sheet);
  forget(sheet);
});
