// What was typed and not saved is kept in this browser, and offered again after a closed tab, a crash or a way back.
// Only what was typed is kept, with what stood there before: so what a colleague saved since is never overwritten.
import { bring, button, counted, element, moment } from "./shared.js";
import { contents, differing, fill, labelOf, savedOf, sheets, titleOf, unsavedIn } from "./sheets.js";

function placeOf(sheet) {
  const person = document.querySelector("meta[name=person]")?.content ?? "";
  const lens = new URLSearchParams(window.location.search).get("lens") ?? "";
  return `typed ${person} ${sheet.key} ${lens}`;
}
function only(values, names) {
  return Object.fromEntries(names.map((name) => [name, values[name] ?? []]));
}
function read(place) {
  try {
    const kept = JSON.parse(localStorage.getItem(place));
    return kept?.fields ? kept : null;
  } catch {
    return null;
  }
}

/** What of a sheet is not saved: its values, and those that were saved, by name. */
export function typedIn(sheet) {
  const names = unsavedIn(sheet);
  return { fields: only(contents(sheet), names), base: only(savedOf(sheet), names) };
}
// Where it is typed, so that Today leads back to it; of a form that comes when it is asked for, from where it comes.
function here(sheet) {
  const title = document.querySelector("main h1, .bar h1")?.textContent.trim() || document.title;
  const { from, into } = sheet.form.dataset;
  const comes = from ? { from, into, what: titleOf(sheet) } : {};
  return { page: page(), title, ...comes };
}
const page = () => window.location.pathname + window.location.search;
/** Keeps what is typed in a sheet, or forgets it where all is saved. */
export function keep(sheet) {
  const typed = typedIn(sheet);
  const place = placeOf(sheet);
  try {
    if (Object.keys(typed.fields).length)
      localStorage.setItem(place, JSON.stringify({ at: Date.now(), ...here(sheet), ...typed }));
    else if (!offered.has(place)) localStorage.removeItem(place);
  } catch {
    // The browser has no room left: what is typed still stands on the page, and leaving it is warned of.
  }
}
export function forget(sheet) {
  localStorage.removeItem(placeOf(sheet));
}
const offered = new Set();
const wanted = new Set(); // what is put back as soon as its form is there
/** Offers what was typed into a sheet before and not saved. */
export function offer(sheet) {
  const place = placeOf(sheet);
  const kept = read(place);
  if (!kept || offered.has(place)) return;
  if (wanted.delete(place)) {
    putBack(sheet, kept);
    return;
  }
  const now = contents(sheet);
  const open = Object.keys(kept.fields).filter(
    (name) => differing(only(kept.fields, [name]), only(now, [name])).length,
  );
  if (!open.length) {
    localStorage.removeItem(place);
    return;
  }
  offered.add(place);
  sheet.form.before(offerOf(place, kept, "here", open.length, () => putBack(sheet, kept, open)));
}
function offerOf(place, kept, where, count, putIt) {
  const over = (act) => () => {
    offered.delete(place);
    note.remove();
    act();
  };
  const when = moment(kept.at);
  const textContent = `What you typed ${where} on ${when} was not saved (${counted(count, "field")}).`;
  const back = button("Put it back", over(putIt), "btn");
  const drop = button(
    "Drop it",
    over(() => localStorage.removeItem(place)),
    "btn",
  );
  const note = noteOf(element("p", { textContent }), element("div", { className: "actions" }, back, drop));
  return note;
}

/** Offers what was typed on this page into forms that are not there until they are asked for. */
export function offerWhatComesLater() {
  const there = new Set(sheets().map(placeOf));
  const person = document.querySelector("meta[name=person]")?.content ?? "";
  for (const place of Object.keys(localStorage).filter((key) => key.startsWith(`typed ${person} `))) {
    const kept = read(place);
    const holder = kept?.from && kept.page === page() && document.querySelector(kept.into);
    if (!holder || there.has(place) || offered.has(place)) continue;
    offered.add(place);
    const count = Object.keys(kept.fields).length;
    (holder.closest("details") ?? holder).before(
      offerOf(place, kept, `in “${kept.what}”`, count, () => bringBack(place, kept)),
    );
  }
}
function bringBack(place, { from, into }) {
  wanted.add(place);
  const fold = document.querySelector(into).closest("details:not([open])");
  if (fold) fold.querySelector("summary").click();
  else bring("GET", from, { target: into, swap: "innerHTML" });
}
function noteOf(...parts) {
  const note = element("div", { className: "note caution kept" }, ...parts);
  note.setAttribute("role", "status");
  return note;
}

/** Fills in what was typed. A field that is not what it was in `base` is asked about, not overwritten. */
export async function putBack(sheet, { fields, base }, names = Object.keys(fields)) {
  const redraw = sheet.form.dataset.redraw;
  if (redraw && !sheet.aside) {
    // Such a form has fields that only the server can draw.
    const target = sheet.form.getAttribute("hx-target") === "this" ? sheet.form : sheet.form.getAttribute("hx-target");
    const swap = target === sheet.form ? "outerHTML" : "innerHTML";
    await htmx.ajax("POST", redraw, { source: sheet.form, target, swap, values: { ...contents(sheet), ...fields } });
    return;
  }
  const now = contents(sheet);
  const isAsItWas = (name) => !base || !differing(only(now, [name]), only(base, [name])).length;
  const lost = await fill(sheet, only(fields, names.filter(isAsItWas)));
  const asked = names.filter((name) => !isAsItWas(name) && !lost.includes(name));
  for (const name of [...asked, ...lost]) ask(sheet, name, now[name] ?? [], fields[name]);
}
function ask(sheet, name, saved, typed) {
  const words = (values) => values.filter(Boolean).join(", ") || "(empty)";
  const theirs = `${labelOf(sheet, name)} was saved by somebody meanwhile as “${words(saved)}”.`;
  const said = `${theirs} You typed “${words(typed)}”.`;
  const take = button(
    "Take what I typed",
    async () => {
      note.remove();
      await fill(sheet, { [name]: typed });
    },
    "btn",
  );
  const leave = button("Keep what is saved", () => note.remove(), "btn");
  const note = noteOf(element("p", { textContent: said }), element("div", { className: "actions" }, take, leave));
  sheet.form.before(note);
}
