// What the scripts of every page share: speaking to the person, asking the server, beginning, and where the focus is.

function stand(kind, role, ...content) {
  const place = document.getElementById("says");
  const note = element("div", { className: `note ${kind}` }, element("p", {}, ...content));
  note.setAttribute("role", role);
  const close = button("×", () => note.remove(), "close");
  close.setAttribute("aria-label", "Close this sentence");
  note.append(close);
  place.replaceChildren(note);
}
/** Says a sentence, which stands until the next act or until it is closed; "" takes back what was said. */
export function say(text) {
  if (text) stand("bad", "alert", text);
  else document.getElementById("says").replaceChildren();
}
/** Says something that went well and changed nothing. */
export function note(text) {
  stand("good", "status", text);
}
/** Says what was done, and where it can be taken back. */
export function tell(sentence, changeSet) {
  const way = element("a", { href: `/history/${changeSet}`, textContent: "Look or take back" });
  stand("good", "status", `${sentence}. `, way);
}

/** The session's token, which every write carries. */
export function token() {
  const meta = document.querySelector("meta[name=csrf]");
  return meta ? meta.content : "";
}

/** A key by which the server knows a repetition of the same act. */
export function freshKey() {
  return [...crypto.getRandomValues(new Uint8Array(16))].map((byte) => byte.toString(16).padStart(2, "0")).join("");
}

// What is done where the session has ended: session.js says it, so that this module knows nothing of dialogs.
let beginSession = async () => false;
export function whenSessionEnded(begin) {
  beginSession = begin;
}
/** Whether an answer says that nobody is signed in, or that the page's token is of another session. */
export function isSessionOver(status, header) {
  return status === 401 || (status === 403 && header === "over");
}

/** Posts fields, or a form's data; those that are null are left out. `said` is what the answer's JSON holds. */
export async function post(address, fields) {
  const body = fields instanceof FormData ? fields : new FormData();
  if (body !== fields)
    for (const [name, value] of Object.entries(fields))
      if (value !== null && value !== undefined) body.append(name, value);
  const key = freshKey();
  for (;;) {
    // The page's address carries the lens, as htmx's own requests do.
    const headers = {
      "X-CSRF-Token": token(),
      "HX-Request": "true",
      "HX-Current-URL": window.location.href,
      "Idempotency-Key": key,
    };
    try {
      const answer = await fetch(address, { method: "POST", body, headers });
      const over = isSessionOver(answer.status, answer.headers.get("X-Session"));
      if (over && (await beginSession())) continue;
      // It was prepared instead of done: where it stands, somebody decides.
      const prepared = answer.headers.get("X-Prepared");
      if (prepared) window.location.assign(prepared);
      const done = answer.headers.get("X-Done");
      const set = answer.headers.get("X-Done-Set");
      return { ok: answer.ok, said: read(await answer.text()), done: done && decodeURIComponent(done), set };
    } catch {
      return { ok: false, said: { problem: "The server can’t be reached. Nothing was saved; try again in a moment." } };
    }
  }
}

// What went wrong may be told as a page tells it: then its sentence is the problem.
function read(text) {
  try {
    return JSON.parse(text);
  } catch {
    const note = new DOMParser().parseFromString(text, "text/html").querySelector(".note");
    return note ? { problem: note.textContent.trim() } : {};
  }
}

/** Posts fields and says what is wrong; gives what was answered, null where it was refused. */
export async function ask(address, fields) {
  const { ok, said, done, set } = await post(address, fields);
  if (done) tell(done, set);
  else say(ok ? "" : said.problem || "This did not work. Try again.");
  return ok ? said : null;
}

let coming = Promise.resolve();
/** Brings in what an address answers, after all that was asked for before: htmx would drop one of several that wait,
 * and put another into what is no longer there. `target`: finds its place when its turn comes, as `address` may. */
export function bring(verb, address, { target, ...how }) {
  const next = () => {
    const place = typeof target === "function" ? target() : document.querySelector(target);
    return place && htmx.ajax(verb, typeof address === "function" ? address() : address, { ...how, target: place });
  };
  coming = coming.then(next, next);
  return coming;
}

const beginnings = { first: [], last: [] };
/** Calls `begin` when the page is there, and each time that htmx has brought something in; `last`: after all others. */
export function whenShown(begin, when = "first") {
  beginnings[when].push(begin);
}
for (const kind of ["DOMContentLoaded", "htmx:afterSettle"])
  document.addEventListener(kind, (event) => {
    for (const begin of [...beginnings.first, ...beginnings.last]) begin(event);
  });

/** Of several, the tab key reaches this one alone; it is focused. */
export function focusAmong(all, one) {
  for (const other of all) other.tabIndex = -1;
  one.tabIndex = 0;
  one.focus();
}

/** The first of several can be reached by the tab key where none can. */
export function firstReached(all) {
  for (const one of all) if (!one.hasAttribute("tabindex")) one.tabIndex = -1;
  if (all.length && !all.some((one) => one.tabIndex === 0)) all[0].tabIndex = 0;
}

export function element(name, properties, ...children) {
  const made = Object.assign(document.createElement(name), properties);
  made.append(...children);
  return made;
}

export function button(label, act, className = "btn small") {
  const made = element("button", { type: "button", className, textContent: label });
  made.addEventListener("click", act);
  return made;
}

/** "1 variant", "2,500 variants". */
export function counted(count, one, many = `${one}s`) {
  return `${count.toLocaleString("en")} ${count === 1 ? one : many}`;
}

/** "26 Nov 2026, 19:42", where whoever reads it is. */
export function moment(at) {
  return new Date(at).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" });
}

/** Tells whoever listens that a field, or something in it, was changed. */
export function changed(field, kind = "input") {
  field.dispatchEvent(new Event(kind, { bubbles: true }));
}

/** An item goes one place up or down in its list, if it can. */
export function shift(item, step) {
  if (step < 0 && item.previousElementSibling) item.previousElementSibling.before(item);
  if (step > 0 && item.nextElementSibling) item.nextElementSibling.after(item);
}

/** The options of a list that is put in order by drag. */
export const DRAGGED = { animation: 120, forceFallback: true };
