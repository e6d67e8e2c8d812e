// Choosers: search, choose, and make in place what is not there yet.
"use strict";

function token() { return document.querySelector("meta[name=csrf]").content; }

async function makeInPlace(select, typed, done, sure) {
  const body = new FormData();
  body.append("name", typed);
  body.append("path", typed); // categories are made by their path
  if (sure) body.append("sure", "1");
  try {
    const answer = await fetch(select.dataset.make, { method: "POST", body, headers: { "X-CSRF-Token": token() } });
    const data = await answer.json();
    if (!answer.ok) { done(); say(data.problem); return; }
    if (data.near) { done(); ask(select, typed, data.near); return; }
    done({ value: data.value, text: data.text });
    say("");
  } catch {
    done();
    say(`The ${select.dataset.word} could not be made: the server can’t be reached.`);
  }
}

// Something much like it is there: take that, or make the new one all the same.
function ask(select, typed, near) {
  const field = select.closest(".field") || select.parentElement;
  field.querySelectorAll(".near").forEach((old) => old.remove());
  const note = document.createElement("div");
  note.className = "near help";
  note.setAttribute("role", "alert");
  note.append(`“${typed}” is much like `, ...near.slice(0, 3).map((one, place) => `${place ? " or " : ""}“${one.text}” (${one.why})`), ". ");
  const take = (text) => { const option = Object.values(select.tomselect.options).find((one) => one.text === text); if (option) select.tomselect.addItem(option.value); note.remove(); };
  for (const one of near.slice(0, 3)) {
    const button = Object.assign(document.createElement("button"), { type: "button", className: "btn small", textContent: `Take ${one.text}` });
    button.addEventListener("click", () => take(one.text));
    note.append(button, " ");
  }
  const anyway = Object.assign(document.createElement("button"), { type: "button", className: "btn small", textContent: `Make ${typed}` });
  anyway.addEventListener("click", () => { note.remove(); makeInPlace(select, typed, (made) => { if (made) { select.tomselect.addOption(made); select.tomselect.addItem(made.value); } }, true); });
  note.append(anyway);
  field.append(note);
  note.querySelector("button").focus();
}

function swatch(option, escape) {
  if (option.picture) return `<img class="swatch" src="${escape(option.picture)}" alt="">`;
  if (!option.swatch) return "";
  return `<svg class="swatch" viewBox="0 0 10 10" aria-hidden="true"><rect width="10" height="10" fill="${escape(option.swatch)}"/></svg>`;
}

function choose(select) {
  const several = select.multiple;
  new TomSelect(select, {
    refreshThrottle: 0, // a quick typist’s Enter takes what was typed, not what stood there before
    maxOptions: 300, maxItems: several ? null : 1, allowEmptyOption: false, placeholder: select.dataset.example, persist: true, hidePlaceholder: true,
    plugins: several ? ["remove_button"] : ["clear_button"],
    create: select.dataset.make ? (typed, done) => makeInPlace(select, typed, done, false) : false,
    createFilter: (typed) => /\S/.test(typed),
    render: {
      option: (data, escape) => `<div>${swatch(data, escape)}${escape(data.text)}</div>`,
      item: (data, escape) => `<div>${swatch(data, escape)}${escape(data.text)}</div>`,
      option_create: (data, escape) => `<div class="create">Make the ${escape(select.dataset.word || "value")} <b>${escape(data.input)}</b></div>`,
      no_results: () => '<div class="no-results">Nothing fits.</div>',
    },
  });
}

function choosers() {
  document.querySelectorAll("select[data-choose]:not([disabled])").forEach((select) => { if (!select.tomselect) choose(select); });
}
document.addEventListener("DOMContentLoaded", choosers);
document.addEventListener("htmx:afterSettle", choosers);
