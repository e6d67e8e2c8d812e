// A sheet is what one save takes: a form, or a part of one with a button of its own (data-aside). This module knows
// which of its fields a person fills, what stands in them, what was saved last, and how to fill them again.
import { changed } from "./shared.js";

const NO_FIELDS = ["button", "file", "image", "password", "reset", "search", "submit"];
const MARKS = /^(csrf|version|seen|marks|then|once|has.*|choose_.*|theirs_.*|theirs-mark_.*)$/;

function isTyped(field) {
  if (!field.name || field.disabled || NO_FIELDS.includes(field.type) || MARKS.test(field.name)) return false;
  return field.type !== "hidden" || field.hasAttribute("data-typed");
}
function keyOf(form, aside) {
  const own = form.getAttribute("hx-post") || form.getAttribute("action") || form.dataset.redraw || form.id;
  return aside ? `${own} ${aside.dataset.aside}` : own;
}

/** The sheet of a field, a button or a form; null where it belongs to none. */
export function sheetOf(element) {
  const aside = element?.closest?.("[data-aside]") ?? null;
  const form = element?.closest?.("form") || element?.form || aside?.querySelector("input, select, textarea")?.form;
  if (!form || form.matches("[role=search], [method=get], [data-free]")) return null;
  return { key: keyOf(form, aside), form, aside };
}
/** All sheets of the page, or of a part of it. */
export function sheets(root = document) {
  const found = new Map();
  const add = (sheet) => sheet && !found.has(sheet.key) && found.set(sheet.key, sheet);
  for (const form of root.querySelectorAll("form")) add(sheetOf(form));
  for (const aside of root.querySelectorAll("[data-aside]"))
    add(sheetOf(aside.querySelector("input, select, textarea")));
  return [...found.values()];
}
function fieldsOf(sheet) {
  return [...sheet.form.elements].filter((one) => isTyped(one) && one.closest("[data-aside]") === sheet.aside);
}
// A field of a row that can be moved is known by its row, wherever that stands.
function nameOf(field) {
  const row = field.hasAttribute("data-order") ? null : field.closest("[data-row]");
  return row ? `${field.name}@${row.dataset.row}` : field.name;
}
function valuesOf(field) {
  if (field.type === "checkbox" || field.type === "radio") return field.checked ? [field.value] : [];
  if (field.multiple) return [...field.selectedOptions].map((one) => one.value);
  return [field.value];
}

/** What stands in a sheet: a list of values for each name. */
export function contents(sheet) {
  const found = {};
  for (const field of fieldsOf(sheet)) {
    const name = nameOf(field);
    found[name] = [...(found[name] ?? []), ...valuesOf(field)];
  }
  return found;
}
/** The names that differ between two contents. What one of them has not is as good as empty. */
export function differing(one, other) {
  const plain = (values) => JSON.stringify((values ?? []).filter((value) => value !== ""));
  const both = new Set([...Object.keys(one), ...Object.keys(other)]);
  return [...both].filter((name) => {
    const [a, b] = [one[name] ?? [], other[name] ?? []];
    return a.length === b.length ? JSON.stringify(a) !== JSON.stringify(b) : plain(a) !== plain(b);
  });
}

const saved = new Map();
/** What a sheet held when it was saved last, or when it came. */
export function savedOf(sheet) {
  return saved.get(sheet.key) ?? {};
}
/** What a sheet holds now, or ``held`` at another moment, counts as saved. */
export function countsAsSaved(sheet, held = contents(sheet)) {
  saved.set(sheet.key, held);
}
export function isKnown(sheet) {
  return saved.has(sheet.key);
}
/** The names of a sheet's fields in which something is typed that is not saved. */
export function unsavedIn(sheet) {
  return isKnown(sheet) ? differing(savedOf(sheet), contents(sheet)) : [];
}
/** The sheets of a part of the page that hold something unsaved. */
export function unsavedSheets(root = document) {
  return sheets(root).filter((sheet) => unsavedIn(sheet).length);
}
/** Text that stands in a field which no form takes: a name of a new category, a cell that is being edited. */
export function looseText() {
  const fields = document.querySelectorAll("input:not([form]), textarea:not([form])");
  return [...fields].find(
    (one) =>
      !one.form &&
      !NO_FIELDS.includes(one.type) &&
      one.type !== "checkbox" &&
      one.type !== "radio" &&
      one.type !== "hidden" &&
      !one.closest("[data-free], .ts-wrapper, [role=search], [method=get]") &&
      one.value !== one.defaultValue,
  );
}
/** What a sheet is called, for sentences. */
export function titleOf(sheet) {
  const named = (sheet.aside ?? sheet.form).dataset.title;
  return named || document.querySelector("h1")?.textContent.trim() || "this page";
}
/** What a field is called. */
export function labelOf(sheet, name) {
  const field = fieldsOf(sheet).find((one) => nameOf(one) === name);
  const label = field?.getAttribute("aria-label") || field?.labels?.[0]?.childNodes[0]?.textContent.trim();
  return (
    label ||
    name
      .split("@")[0]
      .replace(/^own-.*\./, "")
      .replaceAll("_", " ")
  );
}

// --- filling -----------------------------------------------------------------------------------------------------
const together = [];
/** Fields that mean something only side by side are put back by a function that gets the values of all of them. */
export function putTogether(names, put) {
  together.push({ names, put });
}
/** Fills fields of a sheet by name; gives the names that have no field here. */
export async function fill(sheet, values) {
  const left = [];
  const done = new Set();
  for (const { names, put } of together) {
    if (!names.some((name) => name in values)) continue;
    const now = contents(sheet);
    await put(Object.fromEntries(names.map((name) => [name, values[name] ?? now[name] ?? []])));
    for (const name of names) done.add(name);
  }
  for (const [name, list] of Object.entries(values)) {
    if (done.has(name)) continue;
    const fields = fieldsOf(sheet).filter((one) => nameOf(one) === name);
    if (!fields.length) left.push(name);
    else if (fields[0].hasAttribute("data-order")) order(fields[0], list);
    else fields.forEach((field, place) => refill(field, list, place));
    fields[0]?.closest("details")?.setAttribute("open", "");
  }
  changed(sheet.form);
  return left;
}
function order(first, keys) {
  const list = first.closest("[data-row]").parentElement;
  const rows = [...list.children];
  for (const row of rows) if (!keys.includes(row.dataset.row)) row.remove();
  for (const key of keys) {
    const row = rows.find((one) => one.dataset.row === key);
    if (row) list.append(row);
  }
}
function refill(field, values, place) {
  const chooser = field.tomselect;
  if (chooser) {
    for (const value of values) if (value && !chooser.options[value]) chooser.addOption({ value, text: value });
    chooser.setValue(field.multiple ? values : (values[0] ?? ""));
  } else if (field.type === "checkbox" || field.type === "radio") field.checked = values.includes(field.value);
  else if (field.multiple) for (const option of field.options) option.selected = values.includes(option.value);
  else {
    field.value = values[place] ?? "";
    field.closest("[data-rich-text]")?.fill?.(field.value);
  }
  changed(field, "change");
}
