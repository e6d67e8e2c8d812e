// A session that ended: whoever it was signs in again without leaving the page, and what was being done goes on.
import { element, isSessionOver, say, whenSessionEnded } from "./shared.js";

let going = null; // one dialog, however many requests wait for it

/** Makes sure that the same person is signed in; false where they would rather not. */
export function signInAgain() {
  going ??= begin().finally(() => {
    going = null;
  });
  return going;
}
whenSessionEnded(signInAgain);

const meta = (name) => document.querySelector(`meta[name=${name}]`);
async function state() {
  const answer = await fetch("/session", { headers: { "HX-Request": "true" } });
  return answer.json();
}
function take(csrf) {
  meta("csrf").content = csrf;
  for (const field of document.querySelectorAll("input[name=csrf]")) field.value = csrf;
}
async function begin() {
  if (!meta("person")) return false;
  const found = await state();
  if (found.person === meta("person").content) {
    take(found.csrf); // signed in again in another tab
    return true;
  }
  return askFor(found);
}

function askFor({ door, name }) {
  const before = document.activeElement;
  const text = name ? `You are signed in as ${name} now.` : "Your session has ended.";
  const password = field("password", "Password", "current-password");
  const email = field("email", "E-mail", "username");
  const mail = email.querySelector("input");
  mail.value = meta("person").dataset.email;
  mail.readOnly = true;
  const wrong = element("div", { className: "wrong" });
  wrong.setAttribute("role", "alert");
  const code = field("text", "Code of your app, or a recovery code", "one-time-code");
  code.hidden = true;
  code.querySelector("input").name = "code";
  const go = element("button", { className: "btn main", textContent: "Sign in and go on" });
  const stay = element("button", { className: "btn", type: "button", textContent: "Not now" });
  const title = element("h2", { id: "h-session", textContent: "Sign in again" });
  const help = element("p", { textContent: `${text} What you typed is still here, and what you were doing goes on.` });
  const form = element("form", { className: "stack" }, title, help, email, password, code, wrong);
  form.append(element("div", { className: "actions" }, go, stay));
  form.dataset.free = "";
  const dialog = element("dialog", { id: "session" }, form);
  dialog.setAttribute("aria-labelledby", "h-session");
  document.body.append(dialog);
  let ticket = ""; // that the password was right, and a code is to follow
  dialog.showModal();
  password.querySelector("input").focus();
  return new Promise((resolve) => {
    const end = (worked) => {
      dialog.remove();
      before?.focus?.({ preventScroll: true });
      if (!worked) say("You are signed out. What you typed is still here; sign in before you go on.");
      resolve(worked);
    };
    stay.addEventListener("click", () => end(false));
    dialog.addEventListener("cancel", () => end(false));
    form.addEventListener("submit", async (event) => {
      event.preventDefault();
      event.stopPropagation();
      wrong.textContent = "";
      const said = await enter(new FormData(form), door, ticket);
      if (said.csrf) {
        take(said.csrf);
        end(true);
        return;
      }
      wrong.textContent = said.problem;
      ticket = said.ticket ?? "";
      code.hidden = !ticket;
      (ticket ? code : password).querySelector("input").focus();
    });
  });
}
function field(kind, label, complete) {
  const id = `session-${kind}`;
  const input = element("input", { type: kind, name: kind, id, autocomplete: complete });
  return element("div", {}, element("label", { htmlFor: id, textContent: label }), input);
}
async function enter(body, door, ticket) {
  body.append("door", door);
  if (ticket) body.append("ticket", ticket);
  try {
    const answer = await fetch("/session", { method: "POST", body, headers: { "HX-Request": "true" } });
    return await answer.json();
  } catch {
    return { problem: "The server can’t be reached. Try again in a moment." };
  }
}

// --- what was asked when the session was over is asked again ---------------------------------------------------------
document.addEventListener("htmx:beforeOnLoad", async (event) => {
  const { xhr, requestConfig, target, etc } = event.detail;
  if (!meta("person") || !isSessionOver(xhr.status, xhr.getResponseHeader("X-Session"))) return;
  event.preventDefault();
  if (!(await signInAgain())) return;
  const { verb, path, elt, formData } = requestConfig;
  const swap = etc.swapOverride || elt.closest("[hx-swap]")?.getAttribute("hx-swap") || undefined;
  htmx.ajax(verb, path, { source: elt, target, swap, values: verb === "get" ? undefined : formData });
});
