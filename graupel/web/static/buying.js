// What a buyer chooses with an article: which choices are asked and what it costs follow while they are made. What was
// typed stays, and only what is new or gone changes. Without scripts the form is sent as it is, and says what is
// missing.

let latest = 0;
let waiting = 0;

/** The same form with what the server says now; the fields that were there before are kept as they are. */
function fit(now, then) {
  const kept = new Map([...now.querySelectorAll("[data-choice]")].map((one) => [one.dataset.choice, one]));
  const list = now.querySelector("[data-choices]");
  const wanted = [...then.querySelectorAll("[data-choice]")].map((fresh) => {
    const there = kept.get(fresh.dataset.choice);
    if (!there) return fresh;
    const adds = fresh.querySelectorAll(".adds");
    there.querySelectorAll(".adds").forEach((one, place) => {
      if (adds[place] && one.textContent !== adds[place].textContent) one.replaceWith(adds[place]);
    });
    return there;
  });
  // Fields that stay are not moved: to move one would take the focus from it.
  for (const one of [...list.children]) if (!wanted.includes(one)) one.remove();
  wanted.forEach((one, place) => {
    if (list.children[place] !== one) list.insertBefore(one, list.children[place] ?? null);
  });
  const together = then.querySelector("#together");
  if (together) now.querySelector("#together").innerHTML = together.innerHTML;
}

async function ask(form) {
  const turn = ++latest;
  const sent = new FormData(form);
  for (const field of form.querySelectorAll('input[type="file"]')) sent.delete(field.name);
  for (const field of form.querySelectorAll('input[type="file"]'))
    if (field.files[0]) sent.append(field.name, field.files[0].name);
  const answer = await fetch(form.dataset.asked, { method: "POST", body: sent }).catch(() => null);
  if (turn !== latest || !answer?.ok || !form.isConnected) return;
  const page = new DOMParser().parseFromString(await answer.text(), "text/html");
  const then = page.getElementById("buy");
  if (then && turn === latest) fit(form, then);
}

for (const kind of ["input", "change"])
  document.addEventListener(kind, (event) => {
    const form = event.target.closest?.("[data-buy]");
    if (!form) return;
    clearTimeout(waiting);
    waiting = setTimeout(() => ask(form), kind === "input" ? 250 : 0);
  });

/** What was answered beside one variant stands beside another too, where that is asked the same: first what is asked
 * always, then what is asked because of that. */
export async function carry(from, to) {
  if (!from || !to) return;
  const left = new Set(from.querySelectorAll('[name^="c"], [name="n"], [name="pays"], [name="beside"]'));
  while (taken(left, to)) await ask(to);
}

/** Puts what is left into the fields that are there; returns whether there were any. */
function taken(left, to) {
  let any = false;
  for (const field of left) {
    const ticked = /radio|checkbox/.test(field.type);
    const same = [...to.elements].find((one) => one.name === field.name && (!ticked || one.value === field.value));
    if (!same) continue;
    left.delete(field);
    any = true;
    if (field.type === "file") same.replaceWith(field);
    else if (ticked) same.checked = field.checked && !same.disabled;
    else same.value = field.value;
  }
  return any;
}

// A form that makes something is sent once, however often its button is pressed; its key lets a repetition on the way
// be known. It may be sent again when the page is come back to.
document.addEventListener("submit", (event) => {
  const form = event.target.closest?.("[data-buy], [data-basket], [data-once]");
  if (!form || event.defaultPrevented) return;
  if (form.dataset.sent) {
    event.preventDefault();
    return;
  }
  form.dataset.sent = "yes";
  const action = new URL(form.getAttribute("action"), location.href);
  action.searchParams.set("once", crypto.randomUUID?.() ?? `${Date.now()}-${Math.random()}`);
  form.action = action.pathname + action.search;
});
window.addEventListener("pageshow", () => {
  for (const form of document.querySelectorAll("[data-sent]")) {
    delete form.dataset.sent;
    form.action = form.getAttribute("action").split("?")[0];
  }
});

// After something could not be taken, the first field that says so is where one goes on.
document.querySelector("[data-buy] [aria-invalid], [data-basket] [aria-invalid], [data-once] [aria-invalid]")?.focus();
