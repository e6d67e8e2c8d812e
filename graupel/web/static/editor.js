// The product editor: its texts, its pictures, and what its buttons mean.
import "./choose.js";
import "./grid.js";
import "./lengths.js";
import "./media.js";
import "./margins.js";
import "./mending.js";
import { beginPictures } from "./pictures.js";
import "./pieces.js";
import "./prices.js";
import { richText } from "./rich.js";
import { whenShown } from "./shared.js";
import { countsAsSaved, savedOf, sheetOf } from "./sheets.js";

function begin() {
  const form = document.getElementById("product-form");
  if (!form || form.dataset.begun) return;
  form.dataset.begun = "1";
  document.querySelectorAll("#parts [data-rich-text]").forEach(richText);
  beginPictures(form);
  // The buttons stand outside the form, in the bar: what the pressed one means is carried by a field.
  form.addEventListener(
    "submit",
    (event) => {
      form.elements.then.value = event.submitter?.dataset.then || form.elements.status.value;
    },
    true,
  );
}
whenShown(begin);
// What is typed is seen in the mirror. The form's fields stand in the parts, not all inside the form element.
for (const kind of ["input", "change"])
  document.addEventListener(kind, (event) => {
    const form = document.getElementById("product-form");
    const own = form && (event.target === form || event.target.form === form);
    if (own && !event.target.closest("[data-aside]")) htmx.trigger(document.querySelector("[data-look]"), "look");
  });

// What followed from a part that was saved, as a kit's price does from what it is made of, stands in the form as well,
// and counts as saved; what somebody typed there stays.
document.addEventListener("htmx:afterSettle", ({ detail }) => {
  const followed = detail.target?.querySelector?.("[data-followed]") ?? document.querySelector("#kit [data-followed]");
  const form = document.getElementById("product-form");
  if (!followed || !form || !document.getElementById("kit").contains(detail.elt)) return;
  const sheet = sheetOf(form);
  for (const [name, text] of Object.entries(JSON.parse(followed.dataset.followed))) {
    const field = form.elements[name];
    const saved = savedOf(sheet);
    if (!field || field.value === text || field.value !== saved[name]?.[0]) continue;
    field.value = text;
    countsAsSaved(sheet, { ...saved, [name]: [text] });
  }
  htmx.trigger(document.querySelector("[data-look]"), "look");
});

// "As a buyer" opens the article at the place of the part in which somebody is, or which stands highest on the screen.
let editedPart = null;
document.addEventListener("focusin", (event) => {
  editedPart = event.target.closest("section.part") ?? editedPart;
});
document.addEventListener("click", (event) => {
  const link = event.target.closest("[data-as-buyer]");
  if (!link) return;
  const onScreen = (part) => part?.isConnected && part.getBoundingClientRect().bottom > 0;
  const highest = [...document.querySelectorAll("section.part")].find(onScreen);
  link.hash = (onScreen(editedPart) ? editedPart : highest)?.id ?? "";
});

// A fact that is needed because of what is chosen in another says so while that is chosen.
document.addEventListener("change", (event) => {
  const [, attribute] = /^fact-(\d+)$/.exec(event.target.name ?? "") ?? [];
  if (!attribute || !event.target.selectedOptions) return;
  const chosen = [...event.target.selectedOptions].map((option) => option.value);
  for (const mark of document.querySelectorAll(`[data-when^="${attribute} "]`))
    mark.hidden = !chosen.includes(mark.dataset.when.split(" ")[1]);
});
