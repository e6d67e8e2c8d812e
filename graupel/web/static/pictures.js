// The pictures of a product: put in order, said what they show, taken from the library, and put into its text.
import { changed, DRAGGED, say, shift } from "./shared.js";
import { putTogether } from "./sheets.js";
import { Sortable } from "./vendor/sortable.js";
import { TomSelect } from "./vendor/tom-select.js";

// What the library shows first, when a picture is chosen for the product's text: its own.
document.addEventListener("picking", (event) => {
  for (const image of document.querySelectorAll("[data-tiles] .tile img")) {
    const alt = image.closest(".tile").querySelector("[name=alt]").value;
    event.detail.first({ name: alt || "Picture of this product", face: image.getAttribute("src") });
  }
});

function tilesOf() {
  return document.querySelector("#parts [data-tiles]");
}
/** Begins the list of pictures of this product's form. */
export function beginPictures(form) {
  const tiles = tilesOf();
  if (!tiles) return;
  tiles.querySelectorAll("[data-belongs]").forEach(belongs);
  if (!document.querySelector("[data-drop]")) return; // who may only look moves nothing
  new Sortable(tiles, { ...DRAGGED, handle: "[data-grip]", draggable: ".tile", onEnd: () => changed(form) });
  tiles.addEventListener("click", (event) => {
    const tile = event.target.closest(".tile");
    const move = event.target.closest("[data-move]");
    if (event.target.closest("[data-remove]")) {
      const near = tile.nextElementSibling || tile.previousElementSibling;
      tile.remove();
      changed(form);
      if (near) near.querySelector("[name=alt]").focus();
      return;
    }
    if (!move) return;
    shift(tile, Number(move.dataset.move));
    move.focus();
    changed(form);
  });
}
// Which variants a picture shows: chosen from one list that all rows share, for it can be long.
function belongs(select) {
  if (select.tomselect || select.disabled) return;
  const source = document.getElementById("belong-options");
  const hidden = select.closest(".tile").querySelector("[name=belongs]");
  const chosen = [...select.options].map((option) => ({
    value: option.value,
    text: option.textContent,
    group: "Single variants",
  }));
  const all = JSON.parse(source.textContent);
  const options = [...all, ...chosen.filter((one) => !all.some((other) => other.value === one.value))];
  new TomSelect(select, {
    options,
    items: chosen.map((one) => one.value),
    maxOptions: 100,
    refreshThrottle: 0,
    optgroups: [...new Set([...all.map((one) => one.group), "Single variants"])].map((group) => ({
      value: group,
      label: group,
    })),
    optgroupField: "group",
    placeholder: "all variants",
    hidePlaceholder: true,
    plugins: ["remove_button"],
    shouldLoad: (typed) => Boolean(source.dataset.more) && typed.trim().length > 1,
    load: (typed, done) => {
      fetch(source.dataset.more + encodeURIComponent(typed))
        .then((answer) => answer.json())
        .then(done, () => done());
    },
    onChange: (values) => {
      hidden.value = values.join(" ");
      changed(hidden);
    },
    render: { no_results: () => '<div class="no-results">Nothing fits.</div>' },
  });
}
async function addRow(id, said) {
  const tiles = document.querySelector("[data-tiles]");
  if (tiles.querySelector(`[name=picture][value="${id}"]`)) {
    say("This is among the pictures already.");
    return;
  }
  const answer = await fetch(`${tiles.dataset.rows}?${new URLSearchParams({ media: id, ...said })}`);
  if (!answer.ok) {
    say("This file is not there any more.");
    return;
  }
  const row = await answer.text();
  if (tiles.querySelector(`[name=picture][value="${id}"]`)) return; // the same bytes came in twice at once
  tiles.insertAdjacentHTML("beforeend", row);
  tiles.lastElementChild.querySelectorAll("[data-belongs]").forEach(belongs);
  changed(document.getElementById("product-form"));
}
// One after the other: the rows stand in the order in which the files were chosen.
let adding = Promise.resolve();
for (const [kind, said] of [
  ["media-taken", { guess: true }],
  ["media-picked", {}],
])
  document.addEventListener(kind, (event) => {
    if (document.querySelector("[data-tiles]")) adding = adding.then(() => addRow(event.detail.id, said));
  });
// Suggested alt texts come with the mirror: they follow the name and what a picture shows.
function suggestions() {
  const place = document.getElementById("alts");
  return place
    ? Object.entries(JSON.parse(place.dataset.suggestions))
        .map(([id, text]) => [document.getElementById(`alt-${id}`), text])
        .filter(([field]) => field)
    : [];
}
document.addEventListener("htmx:afterSettle", () => {
  for (const [field, text] of suggestions()) if (text) field.placeholder = text;
});
document.addEventListener("click", (event) => {
  if (!event.target.closest("[data-take-alts]")) return;
  for (const [field, text] of suggestions()) if (!field.value.trim()) field.value = text;
  changed(document.getElementById("product-form"));
});

// The fields of a picture's row stand side by side.
const OF_PICTURES = ["picture", "alt", "title", "belongs"];
putTogether(OF_PICTURES, async (fields) => {
  const [ids, alts, titles, belong] = OF_PICTURES.map((name) => fields[name] || []);
  tilesOf().replaceChildren();
  for (const [place, id] of ids.entries())
    await addRow(id, { alt: alts[place] || "", title: titles[place] || "", belongs: belong[place] || "" });
});
