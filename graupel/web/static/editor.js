// The product editor: rich text, category chooser, pictures, and what is not saved yet.
"use strict";

const TOOLS = [
  ["B", "Bold", (c) => c.toggleBold(), "bold"], ["I", "Italic", (c) => c.toggleItalic(), "italic"],
  ["H2", "H2, heading", (c) => c.toggleHeading({ level: 2 }), "heading", { level: 2 }],
  ["H3", "H3, smaller heading", (c) => c.toggleHeading({ level: 3 }), "heading", { level: 3 }],
  ["•", "List", (c) => c.toggleBulletList(), "bulletList"], ["1.", "1. numbered list", (c) => c.toggleOrderedList(), "orderedList"],
  ["“ ”", "Quotation", (c) => c.toggleBlockquote(), "blockquote"],
];

function changed(form) { form.dispatchEvent(new Event("input", { bubbles: true })); }

function richText(holder) {
  const area = holder.querySelector("textarea");
  const readOnly = holder.hasAttribute("data-read-only");
  area.hidden = true;
  const frame = document.createElement("div");
  frame.className = "rich";
  const tools = document.createElement("div");
  tools.className = "tools";
  tools.setAttribute("role", "toolbar");
  tools.setAttribute("aria-label", "Text tools");
  const body = document.createElement("div");
  if (!readOnly) frame.append(tools);
  frame.append(body);
  holder.append(frame);
  const editor = new RichText.Editor({
    element: body, injectCSS: false, editable: !readOnly, content: area.value,
    extensions: [RichText.StarterKit.configure({ heading: { levels: [2, 3, 4] }, codeBlock: false, code: false, horizontalRule: false, link: { openOnClick: false } })],
    editorProps: { attributes: { role: "textbox", "aria-multiline": "true", "aria-labelledby": "label-description", "aria-describedby": "help-description", id: "rich-description", ...(readOnly ? { "aria-readonly": "true" } : {}) } },
    onUpdate: () => { area.value = editor.isEmpty ? "" : editor.getHTML(); changed(area); },
    onTransaction: () => mark(),
  });
  document.getElementById("label-description").addEventListener("click", (event) => { event.preventDefault(); editor.commands.focus(); });
  const buttons = TOOLS.map(([sign, label, act, name, attributes]) => {
    const button = document.createElement("button");
    button.type = "button";
    button.textContent = sign;
    button.title = label;
    button.setAttribute("aria-label", label);
    button.addEventListener("click", () => act(editor.chain().focus()).run());
    tools.append(button);
    return [button, name, attributes];
  });
  function mark() { for (const [button, name, attributes] of buttons || []) button.setAttribute("aria-pressed", editor.isActive(name, attributes)); }
  mark();
}

function categoryChooser(select) {
  new TomSelect(select, {
    maxOptions: 300, maxItems: 1, allowEmptyOption: false, placeholder: "Choose or type a category", createFilter: /\S/, persist: true,
    create: (typed, done) => {
      const body = new FormData();
      body.append("path", typed);
      fetch("/categories", { method: "POST", body, headers: { "X-CSRF-Token": document.querySelector("meta[name=csrf]").content } })
        .then(async (answer) => ({ ok: answer.ok, data: await answer.json() }))
        .then(({ ok, data }) => { if (ok) { done({ value: String(data.id), text: data.path }); say(""); } else { done(); say(data.problem); } })
        .catch(() => { done(); say("The category could not be made: the server can't be reached."); });
    },
    render: { option_create: (data, escape) => `<div class="create">Make the category <b>${escape(data.input)}</b></div>`, no_results: () => '<div class="no-results">No category has this in its path.</div>' },
  });
}

function pictures(form) {
  const tiles = form.querySelector("[data-tiles]");
  const drop = form.querySelector("[data-drop]");
  if (!tiles || !drop) return;
  new Sortable(tiles, { animation: 120, forceFallback: true, handle: "img", draggable: ".tile", onEnd: () => changed(form) });
  tiles.addEventListener("click", (event) => {
    const tile = event.target.closest(".tile");
    const move = event.target.closest("[data-move]");
    if (event.target.closest("[data-remove]")) { tile.remove(); changed(form); return; }
    if (!move) return;
    if (move.dataset.move === "1" && tile.nextElementSibling) tile.nextElementSibling.after(tile);
    if (move.dataset.move === "-1" && tile.previousElementSibling) tile.previousElementSibling.before(tile);
    move.focus();
    changed(form);
  });
  const input = drop.querySelector("input");
  input.addEventListener("change", () => { [...input.files].forEach((file) => upload(file, form)); input.value = ""; });
  drop.addEventListener("dragover", (event) => { event.preventDefault(); drop.classList.add("over"); });
  drop.addEventListener("dragleave", () => drop.classList.remove("over"));
  drop.addEventListener("drop", (event) => { event.preventDefault(); drop.classList.remove("over"); [...event.dataTransfer.files].forEach((file) => upload(file, form)); });
}

function upload(file, form) {
  const line = document.createElement("div");
  const bar = document.createElement("progress");
  bar.setAttribute("aria-label", `Uploading ${file.name}`);
  line.append(file.name, bar);
  form.querySelector("[data-uploads]").append(line);
  const request = new XMLHttpRequest();
  request.open("POST", "/media");
  request.setRequestHeader("X-CSRF-Token", document.querySelector("meta[name=csrf]").content);
  request.setRequestHeader("HX-Request", "true");
  request.upload.addEventListener("progress", (event) => { if (event.lengthComputable) { bar.max = event.total; bar.value = event.loaded; } });
  request.addEventListener("loadend", () => {
    line.remove();
    const tiles = document.querySelector("[data-tiles]");
    if ([200, 422].includes(request.status)) tiles.insertAdjacentHTML("beforeend", request.responseText);
    else say(`“${file.name}” could not be uploaded. Try again.`);
    if (request.status === 200) { const same = tiles.querySelectorAll(`[name=picture][value="${tiles.lastElementChild.querySelector("[name=picture]").value}"]`); if (same.length > 1) tiles.lastElementChild.remove(); changed(document.getElementById("product-form")); }
  });
  const body = new FormData();
  body.append("file", file);
  request.send(body);
}

// --- what is not saved -------------------------------------------------------------------------------------
let kept = null;
function snapshot(form) {
  const data = new Map();
  for (const [name, value] of new FormData(form)) if (!/^(csrf|versions|seen_pictures|then|status|theirs_.*|choose_.*)$/.test(name)) data.set(name, (data.get(name) || "") + "\u0000" + value);
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
  form.querySelectorAll("[data-rich-text]").forEach(richText);
  form.querySelectorAll("select[data-category]:not([disabled])").forEach(categoryChooser);
  pictures(form);
  const refused = document.getElementById("refused") || document.getElementById("conflict");
  if (!refused || !kept) kept = refused ? new Map() : snapshot(form);
  // The buttons stand outside the form, in the bar: what the pressed one means is carried by a field.
  form.addEventListener("submit", (event) => { form.elements.then.value = (event.submitter && event.submitter.dataset.then) || form.elements.status.value; }, true);
  form.addEventListener("input", () => showUnsaved(form));
  form.addEventListener("change", () => showUnsaved(form));
  showUnsaved(form); // a field that was swapped out may have spoken up last
  if (refused) { refused.scrollIntoView({ block: "center" }); refused.focus({ preventScroll: true }); }
}
document.addEventListener("DOMContentLoaded", begin);
document.addEventListener("htmx:afterSettle", begin);
