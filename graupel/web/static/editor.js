// The product editor: its texts, its pictures, and what its buttons mean.
import "./choose.js";
import "./grid.js";
import "./lengths.js";
import "./media.js";
import { drafts } from "./drafts.js";
import { beginPictures } from "./pictures.js";
import { richText } from "./rich.js";
import { whenShown } from "./shared.js";
import { beginUnsaved, showUnsaved, whenTyped } from "./unsaved.js";

function begin() {
  const form = document.getElementById("product-form");
  if (!form || form.dataset.begun) return;
  form.dataset.begun = "1";
  document.querySelectorAll("#parts [data-rich-text]").forEach(richText);
  beginPictures(form);
  const refused = document.getElementById("refused") || document.getElementById("conflict");
  beginUnsaved(form, refused);
  // The buttons stand outside the form, in the bar: what the pressed one means is carried by a field.
  form.addEventListener(
    "submit",
    (event) => {
      form.elements.then.value = event.submitter?.dataset.then || form.elements.status.value;
    },
    true,
  );
  whenTyped(form, () => {
    showUnsaved(form);
    htmx.trigger(document.querySelector("[data-look]"), "look");
  });
  showUnsaved(form); // a field that was swapped out may have spoken up last
  drafts(form);
  if (refused) {
    refused.scrollIntoView({ block: "center" });
    refused.focus({ preventScroll: true });
  }
}
whenShown(begin);
