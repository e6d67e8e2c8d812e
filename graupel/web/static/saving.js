// Ctrl S saves the page from anywhere on it, and first what else on it has a Save of its own. What was typed into a
// chooser and not confirmed is taken with it, or asked about.
import { settle } from "./choose.js";
import { say } from "./shared.js";
import { unsavedSheets } from "./sheets.js";

function mainButton(form) {
  return document.querySelector(`button[data-main][form="${form.id}"]`) || form.querySelector("button[data-main]");
}
/** Sends a form as its button would; whether it was taken. */
function send(form, button) {
  return new Promise((resolve) => {
    const ended = (event) => {
      if (event.detail.requestConfig.elt !== form) return;
      document.removeEventListener("htmx:afterRequest", ended);
      resolve(event.detail.successful);
    };
    document.addEventListener("htmx:afterRequest", ended);
    form.requestSubmit(button);
  });
}
async function saveAll() {
  for (const sheet of unsavedSheets()) {
    if (!sheet.form.hasAttribute("data-saves") || sheet.aside) continue;
    if (!(await settle(sheet.form))) return;
    if (!(await send(sheet.form, sheet.form.querySelector("button.main")))) return;
  }
  const main = meant(); // only now: what was saved first may have drawn the page anew
  if (main) main.requestSubmit(mainButton(main));
}
/** Of several forms the one in which somebody is, or else the first in which something was typed; parts of a page that
 *  are saved first are not meant. */
function meant() {
  const saves = [...document.querySelectorAll("form[data-save]:not([data-saves])")];
  const inside = (form) => form.contains(document.activeElement) || document.activeElement?.form === form;
  const typed = new Set(unsavedSheets().map((sheet) => sheet.form));
  return saves.find(inside) ?? saves.find((form) => typed.has(form)) ?? saves[0];
}
// htmx knows only of buttons that were pressed, not of the one by which we sent the form.
document.addEventListener("htmx:configRequest", (event) => {
  const button = event.detail.triggeringEvent?.submitter;
  if (button?.name && !event.detail.formData.has(button.name)) event.detail.formData.append(button.name, button.value);
});
document.addEventListener("keydown", (event) => {
  if (event.key.toLowerCase() !== "s" || !(event.ctrlKey || event.metaKey) || event.altKey) return;
  event.preventDefault();
  saveAll();
});

// Enter in a part that has a button of its own presses that one, not the page's.
document.addEventListener(
  "keydown",
  (event) => {
    const button = event.target.closest?.("[data-aside]")?.querySelector("button[hx-post]");
    if (event.key !== "Enter" || !button || !event.target.matches("input") || event.target.closest(".ts-wrapper"))
      return;
    event.preventDefault();
    button.click();
  },
  true,
);

// A form goes off when all of its choosers hold what was meant.
document.addEventListener(
  "submit",
  async (event) => {
    const form = event.target;
    if (!hasOpenText(form)) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    if (await settle(form)) form.requestSubmit(event.submitter);
    else say("Not saved yet: choose what the text beside “Take” and “Make” is to be, then save again.");
  },
  true,
);
function hasOpenText(form) {
  return [...form.elements].some((one) => one.tomselect?.control_input.value.trim());
}
