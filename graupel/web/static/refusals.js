// Why something was not done: said at the head, and beside the fields that it is about.
import { say } from "./shared.js";

// The network or the server is gone: say so, keep everything that was typed.
document.addEventListener("htmx:sendError", () =>
  say("The server can't be reached. What you typed is still here; try again in a moment."),
);
document.addEventListener("htmx:afterRequest", (event) => {
  const { successful, requestConfig, xhr } = event.detail;
  // What only looks changes nothing of what was said; of what was done its own sentence takes the place (done.js).
  if (!successful || requestConfig.verb === "get" || requestConfig.elt.closest?.("[data-looks]")) return;
  if (!xhr.getResponseHeader("X-Done")) say("");
  forget(requestConfig.elt);
});

// What was wrong with a field stands beside it, where the page was not drawn anew.
let told = 0;
function forget(form) {
  for (const line of form.querySelectorAll?.("[data-told]") ?? []) {
    const field = document.getElementById(line.dataset.told);
    field?.removeAttribute("aria-invalid");
    const others = (field?.getAttribute("aria-describedby") ?? "").split(" ").filter((id) => id !== line.id);
    field?.setAttribute("aria-describedby", others.join(" "));
    line.remove();
  }
}
function tellFields(form, problems) {
  forget(form);
  let first = null;
  for (const problem of problems) {
    const found = form.elements?.[problem.dataset.problem];
    // Of several fields with one name the problem says which it is of, or none is marked.
    const field = found instanceof RadioNodeList ? found[problem.dataset.row - 1] : found;
    if (!field || field.type === "hidden") continue;
    told += 1;
    field.id ||= `told-field-${told}`;
    const line = document.createElement("div");
    line.className = "wrong";
    line.id = `told-${told}`;
    line.dataset.told = field.id;
    line.textContent = problem.textContent;
    field.after(line);
    field.setAttribute("aria-invalid", "true");
    field.setAttribute("aria-describedby", `${line.id} ${field.getAttribute("aria-describedby") || ""}`.trim());
    first ||= field;
  }
  first?.focus();
}
document.addEventListener("htmx:beforeSwap", (event) => {
  // An answer that is only a message must not take the place of a form or a table.
  const status = event.detail.xhr.status;
  const own = event.detail.target.id && event.detail.serverResponse.includes(`id="${event.detail.target.id}"`);
  if (status >= 400 && !own && !event.detail.target.matches("[data-tiles], [data-takes-errors]")) {
    event.detail.shouldSwap = false;
    const holder = document.createElement("template");
    holder.innerHTML = event.detail.serverResponse;
    const note = holder.content.querySelector(".note");
    say(note ? note.textContent.trim() : "This did not work. Try again.");
    tellFields(event.detail.requestConfig.elt, holder.content.querySelectorAll("[data-problem]"));
    // Somebody else saved meanwhile: the form stays as it is, and now knows what it has been told.
    const known = holder.content.querySelector("[name=marks]");
    const marks = event.detail.requestConfig.elt.elements?.marks;
    if (known && marks) marks.value = known.value;
  }
});
