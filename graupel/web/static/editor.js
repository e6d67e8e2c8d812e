// The product editor: pictures, and what is not saved yet.
"use strict";

TOOLS.push(["Picture", "Picture of this product", (c) => picture(c), ""]);
function picture(chain) {
  const shown = [...document.querySelectorAll("[data-tiles] .tile img")];
  if (!shown.length) { say("Add a picture to the product first; then it can stand in the text."); return chain; }
  const number = shown.length > 1 ? Number(window.prompt(`Which picture, 1 to ${shown.length}?`, "1")) : 1;
  const chosen = shown[number - 1];
  return chosen ? chain.setImage({ src: chosen.getAttribute("src").replace(/\/card(?=\/|$)/, "/page"), alt: chosen.closest(".tile").querySelector("[name=alt]").value }) : chain;
}

// The form's fields stand in the parts, not all inside the form element: other parts stand between them.
function room() { return document.getElementById("parts"); }
function ownEvent(form, event) { return event.target === form || event.target.form === form; }
function pictures(form) {
  const tiles = room().querySelector("[data-tiles]");
  if (!tiles) return;
  tiles.querySelectorAll("[data-belongs]").forEach(belongs);
  if (!document.querySelector("[data-drop]")) return; // who may only look moves nothing
  new Sortable(tiles, { animation: 120, forceFallback: true, handle: "[data-grip]", draggable: ".tile", onEnd: () => changed(form) });
  tiles.addEventListener("click", (event) => {
    const tile = event.target.closest(".tile");
    const move = event.target.closest("[data-move]");
    if (event.target.closest("[data-remove]")) { const near = tile.nextElementSibling || tile.previousElementSibling; tile.remove(); changed(form); if (near) near.querySelector("[name=alt]").focus(); return; }
    if (!move) return;
    if (move.dataset.move === "1" && tile.nextElementSibling) tile.nextElementSibling.after(tile);
    if (move.dataset.move === "-1" && tile.previousElementSibling) tile.previousElementSibling.before(tile);
    move.focus();
    changed(form);
  });
}
// Which variants a picture shows: chosen from one list that all rows share, for it can be long.
function belongs(select) {
  if (select.tomselect || select.disabled) return;
  const source = document.getElementById("belong-options");
  const hidden = select.closest(".tile").querySelector("[name=belongs]");
  const chosen = [...select.options].map((option) => ({ value: option.value, text: option.textContent, group: "Single variants" }));
  const all = JSON.parse(source.textContent);
  const options = [...all, ...chosen.filter((one) => !all.some((other) => other.value === one.value))];
  new TomSelect(select, {
    options, items: chosen.map((one) => one.value), maxOptions: 100, refreshThrottle: 0,
    optgroups: [...new Set([...all.map((one) => one.group), "Single variants"])].map((group) => ({ value: group, label: group })), optgroupField: "group",
    placeholder: "all variants", hidePlaceholder: true, plugins: ["remove_button"], shouldLoad: (typed) => Boolean(source.dataset.more) && typed.trim().length > 1,
    load: (typed, done) => { fetch(source.dataset.more + encodeURIComponent(typed)).then((answer) => answer.json()).then(done, () => done()); },
    onChange: (values) => { hidden.value = values.join(" "); changed(hidden); },
    render: { no_results: () => '<div class="no-results">Nothing fits.</div>' },
  });
}
async function addRow(id, said) {
  const tiles = document.querySelector("[data-tiles]");
  if (tiles.querySelector(`[name=picture][value="${id}"]`)) { say("This is among the pictures already."); return; }
  const answer = await fetch(`${tiles.dataset.rows}?${new URLSearchParams({ media: id, ...said })}`);
  if (!answer.ok) { say("This file is not there any more."); return; }
  const row = await answer.text();
  if (tiles.querySelector(`[name=picture][value="${id}"]`)) return; // the same bytes came in twice at once
  tiles.insertAdjacentHTML("beforeend", row);
  tiles.lastElementChild.querySelectorAll("[data-belongs]").forEach(belongs);
  changed(document.getElementById("product-form"));
}
document.addEventListener("media-taken", (event) => { if (document.querySelector("[data-tiles]")) addRow(event.detail.id, { guess: true }); });
document.addEventListener("media-picked", (event) => { if (document.querySelector("[data-tiles]")) addRow(event.detail.id, {}); });
// Suggested alt texts come with the mirror: they follow the name and what a picture shows.
function suggestions() {
  const place = document.getElementById("alts");
  return place ? Object.entries(JSON.parse(place.dataset.suggestions)).map(([id, text]) => [document.getElementById(`alt-${id}`), text]).filter(([field]) => field) : [];
}
document.addEventListener("htmx:afterSettle", () => { for (const [field, text] of suggestions()) if (text) field.placeholder = text; });
document.addEventListener("click", (event) => {
  if (!event.target.closest("[data-take-alts]")) return;
  for (const [field, text] of suggestions()) if (!field.value.trim()) field.value = text;
  changed(document.getElementById("product-form"));
});

// --- what is not saved -------------------------------------------------------------------------------------
let kept = null;
function snapshot(form) {
  const data = new Map();
  for (const [name, value] of new FormData(form)) if (!/^(csrf|version|seen|has|then|status|known-attribute|attribute-for|new-.*|theirs_.*|choose_.*)$/.test(name)) data.set(name, (data.get(name) || "") + "\u0000" + value);
  return data;
}
function unsaved(form) {
  const now = snapshot(form);
  return [...new Set([...now.keys(), ...kept.keys()])].filter((name) => now.get(name) !== kept.get(name)).length;
}
function showUnsaved(form) {
  const count = unsaved(form);
  const place = document.querySelector("[data-unsaved]");
  place.hidden = !count;
  place.textContent = count ? `${count} ${count === 1 ? "change" : "changes"} not saved` : "";
  document.querySelector("[data-said]").hidden = Boolean(count);
}
window.addEventListener("beforeunload", (event) => {
  const form = document.querySelector("form[data-guard]");
  if (form && kept && unsaved(form) && !form.dataset.leaving) event.preventDefault();
});
document.addEventListener("htmx:beforeOnLoad", (event) => {
  if (event.detail.xhr.getResponseHeader("HX-Redirect")) { const form = document.querySelector("form[data-guard]"); if (form) form.dataset.leaving = "1"; }
});

function begin() {
  const form = document.getElementById("product-form");
  if (!form || form.dataset.begun) return;
  form.dataset.begun = "1";
  room().querySelectorAll("[data-rich-text]").forEach(richText);
  pictures(form);
  const refused = document.getElementById("refused") || document.getElementById("conflict");
  if (!refused || !kept) kept = refused ? new Map() : snapshot(form);
  // The buttons stand outside the form, in the bar: what the pressed one means is carried by a field.
  form.addEventListener("submit", (event) => { form.elements.then.value = (event.submitter && event.submitter.dataset.then) || form.elements.status.value; }, true);
  for (const kind of ["input", "change"]) room().addEventListener(kind, (event) => { if (ownEvent(form, event)) { showUnsaved(form); htmx.trigger(document.querySelector("[data-look]"), "look"); } });
  showUnsaved(form); // a field that was swapped out may have spoken up last
  drafts(form);
  if (refused) { refused.scrollIntoView({ block: "center" }); refused.focus({ preventScroll: true }); }
}
document.addEventListener("DOMContentLoaded", begin);
document.addEventListener("htmx:afterSettle", begin);

// --- what was typed and not saved is offered again after a closed tab or a crash --------------------------------
function fieldsOf(form) {
  const data = {};
  for (const name of snapshot(form).keys()) data[name] = new FormData(form).getAll(name);
  for (const mark of [...form.elements].filter((one) => one.name === "has")) data[mark.value] = data[mark.value] || [];
  return data;
}
function drafts(form) {
  const key = `unsaved ${form.dataset.draft}`;
  const place = document.getElementById("unsaved-draft");
  let kept = null;
  try { kept = JSON.parse(localStorage.getItem(key)); } catch { localStorage.removeItem(key); }
  if (kept && !document.getElementById("refused") && !document.getElementById("conflict") && !unsaved(form)) offer(form, kept, key, place);
  let waiting = 0;
  const keep = () => {
    clearTimeout(waiting);
    waiting = setTimeout(() => {
      if (!document.body.contains(form)) return;
      if (unsaved(form)) localStorage.setItem(key, JSON.stringify({ at: Date.now(), fields: fieldsOf(form) }));
    }, 300);
  };
  for (const kind of ["input", "change"]) room().addEventListener(kind, (event) => { if (ownEvent(form, event)) keep(); });
}
function offer(form, kept, key, place) {
  const now = fieldsOf(form);
  const differing = Object.keys(kept.fields).filter((name) => JSON.stringify(kept.fields[name]) !== JSON.stringify(now[name] || []));
  if (!differing.length) { localStorage.removeItem(key); return; }
  const note = document.createElement("div");
  note.className = "note caution";
  note.setAttribute("role", "status");
  const text = document.createElement("p");
  text.textContent = `What you typed here on ${new Date(kept.at).toLocaleString()} was not saved (${differing.length} ${differing.length === 1 ? "field" : "fields"}).`;
  const actions = document.createElement("div");
  actions.className = "actions";
  const back = Object.assign(document.createElement("button"), { type: "button", className: "btn", textContent: "Put it back" });
  const drop = Object.assign(document.createElement("button"), { type: "button", className: "btn", textContent: "Drop it" });
  back.addEventListener("click", async () => { note.remove(); await putBack(form, kept.fields, differing); });
  drop.addEventListener("click", () => { localStorage.removeItem(key); note.remove(); });
  actions.append(back, drop);
  note.append(text, actions);
  place.replaceChildren(note);
}
async function putBack(form, fields, names) {
  for (const name of names) {
    if (OF_PICTURES.includes(name)) continue;
    const elements = [...form.elements].filter((one) => one.name === name);
    for (const element of elements) {
      const values = fields[name];
      if (element.tomselect) { for (const value of values) if (value && !element.tomselect.options[value]) element.tomselect.addOption({ value, text: value }); element.tomselect.setValue(element.multiple ? values : values[0] || ""); }
      else if (element.type === "checkbox") element.checked = values.includes(element.value);
      else { element.value = values[0] || ""; const rich = element.closest("[data-rich-text]"); if (rich && rich.fill) rich.fill(element.value); }
    }
  }
  if (names.some((name) => OF_PICTURES.includes(name))) await putPicturesBack(fields);
  form.dispatchEvent(new Event("input", { bubbles: true }));
}
const OF_PICTURES = ["picture", "alt", "title", "belongs"];
async function putPicturesBack(fields) {
  const [ids, alts, titles, belong] = OF_PICTURES.map((name) => fields[name] || []);
  room().querySelector("[data-tiles]").replaceChildren();
  for (const [place, id] of ids.entries()) await addRow(id, { alt: alts[place] || "", title: titles[place] || "", belongs: belong[place] || "" });
}
// A saved form comes back with other words than it went with: then nothing is unsaved any more.
document.addEventListener("htmx:afterRequest", (event) => {
  const form = event.detail.elt;
  if (form.id === "product-form" && event.detail.successful) localStorage.removeItem(`unsaved ${form.dataset.draft}`);
});

// --- how long a text is, beside what is wanted --------------------------------------------------------------------
function countOf(field) {
  if (field.hasAttribute("data-lines")) return field.value.split("\n").filter((line) => line.trim()).length;
  const rich = field.closest("[data-rich-text]");
  return (rich && rich.querySelector("[role=textbox]") ? rich.querySelector("[role=textbox]").textContent : field.value).trim().length;
}
function showLength(field) {
  const help = document.getElementById(`help-${field.name}`);
  if (!help) return;
  let place = help.querySelector(".length");
  if (!place) { place = document.createElement("span"); place.className = "length"; help.append(place); }
  const count = countOf(field);
  const [least, most] = [Number(field.dataset.least), Number(field.dataset.most)];
  const what = field.hasAttribute("data-lines") ? (count === 1 ? "point" : "points") : count === 1 ? "character" : "characters";
  place.textContent = count ? `${count} ${what}${count < least ? `, ${least} or more read better` : count > most ? `, up to ${most} read better` : ""}` : `${least} to ${most} ${what} read best`;
  place.classList.toggle("off", Boolean(count) && (count < least || count > most));
}
document.addEventListener("input", (event) => { if (event.target.matches("[data-least]")) showLength(event.target); });
function lengths() { document.querySelectorAll("[data-least]").forEach(showLength); }
document.addEventListener("DOMContentLoaded", lengths);
document.addEventListener("htmx:afterSettle", lengths);
