// Time lines: sales are moved and stretched, with the mouse by dragging, by keyboard a day at a time.

const DAY = 86_400_000;
const SHOWN = { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" };
let held = null;

// Moments are those of the shop's clocks, without a zone: the server knows it. Days are added on the clock.
const read = (text) => (text ? new Date(`${text}:00Z`) : null);
const written = (date) => (date ? date.toISOString().slice(0, 16) : "");
const later = (date, days) => (date ? new Date(date.getTime() + days * DAY) : null);
const told = (date) => (date ? date.toLocaleString("en-GB", { ...SHOWN, timeZone: "UTC" }) : "no end");

function begin(bar, part) {
  const line = bar.closest("[data-time-line]");
  const [begins, ends] = [read(bar.dataset.begins), read(bar.dataset.ends)];
  const fixed = "fixed" in bar.dataset;
  const box = bar.querySelector("rect");
  const drawn = { x: Number(box.getAttribute("x")), width: Number(box.getAttribute("width")) };
  return {
    bar,
    line,
    part: fixed ? "until" : part,
    begins,
    ends,
    fixed,
    days: 0,
    drawn,
    day: Number(line.dataset.day),
  };
}

function spanOf(move) {
  const begins = move.part === "until" ? move.begins : later(move.begins, move.days);
  const ends = move.part === "from" ? move.ends : later(move.ends, move.days);
  return { begins, ends };
}
function isPossible(move, days) {
  const { begins, ends } = spanOf({ ...move, days });
  return !ends || ends > begins;
}

function show(move) {
  const rect = move.bar.querySelector("rect");
  const shift = move.days * move.day;
  const x = move.part === "until" ? move.drawn.x : move.drawn.x + shift;
  const grown = move.part === "from" ? -shift : move.part === "until" ? shift : 0;
  rect.setAttribute("x", x);
  rect.setAttribute("width", Math.max(4, move.drawn.width + grown));
  move.bar.classList.toggle("moving", move.days !== 0);
  const { begins, ends } = spanOf(move);
  const words = `${told(begins)} to ${told(ends)}`;
  for (const place of document.querySelectorAll("[data-time-line-says]")) place.textContent = words;
  let label = move.line.querySelector(".moving-to");
  if (!label) {
    label = document.createElement("div");
    label.className = "moving-to chip";
    move.line.append(label);
  }
  label.textContent = words;
}

function putBack(move) {
  move.days = 0;
  show(move);
  move.bar.classList.remove("moving");
  move.line.querySelector(".moving-to")?.remove();
  held = null;
}

function keep(move) {
  const { begins, ends } = spanOf(move);
  held = null;
  const product = move.line.dataset.product;
  const target = product ? "#sales" : "#prices";
  const asked = new URLSearchParams(window.location.search);
  const values = { begins: written(begins), ends: written(ends), sale: move.bar.dataset.sale };
  for (const name of ["weeks", "shift", "only"]) if (asked.get(name)) values[name] = asked.get(name);
  if (product) values.product = product;
  const focus = `[data-sale="${move.bar.dataset.sale}"]`;
  htmx
    .ajax("POST", `/prices/sales/${move.bar.dataset.sale}/move`, { target, swap: "outerHTML", values })
    .then(() => document.querySelector(`${target} ${focus}`)?.focus());
}

function open(bar) {
  window.location.assign(`/prices/sales/${bar.dataset.sale}${window.location.search}`);
}

document.addEventListener("pointerdown", (event) => {
  const bar = event.target.closest?.("[data-movable]");
  if (!bar || event.button !== 0) return;
  const end = event.target.closest(".end");
  const box = bar.querySelector("rect").getBoundingClientRect();
  const near = (edge) => Math.abs(event.clientX - edge) < 7;
  const part = end
    ? end.classList.contains("from")
      ? "from"
      : "until"
    : near(box.left)
      ? "from"
      : near(box.right)
        ? "until"
        : "whole";
  if (held) putBack(held);
  held = { ...begin(bar, part), from: event.clientX, scale: bar.ownerSVGElement.getScreenCTM().a };
  event.preventDefault();
  bar.focus();
  bar.setPointerCapture(event.pointerId);
});
document.addEventListener("pointermove", (event) => {
  if (!held || held.from === undefined) return;
  const days = Math.round((event.clientX - held.from) / held.scale / held.day);
  if (days !== held.days && isPossible(held, days)) {
    held.days = days;
    show(held);
  }
});
document.addEventListener("pointerup", () => {
  if (!held || held.from === undefined) return;
  if (held.days) keep(held);
  else {
    const { bar } = held;
    held = null;
    open(bar);
  }
});
document.addEventListener("pointercancel", () => held && putBack(held));

function byKey(event, bar) {
  const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  if (!step) return false;
  const part = event.shiftKey ? "until" : event.altKey ? "from" : "whole";
  if (held && (held.bar !== bar || (held.part !== part && !held.fixed))) putBack(held);
  held ??= begin(bar, part);
  if (isPossible(held, held.days + step)) held.days += step;
  show(held);
  return true;
}
document.addEventListener("keydown", (event) => {
  const bar = event.target.closest?.("[data-sale]");
  if (!bar) return;
  const movable = "movable" in bar.dataset;
  if (movable && byKey(event, bar)) event.preventDefault();
  else if (event.key === "Escape" && held) {
    event.preventDefault();
    putBack(held);
  } else if (event.key === "Enter" || event.key === " ") {
    event.preventDefault();
    if (held?.days) keep(held);
    else open(bar);
  }
});
document.addEventListener("click", (event) => {
  const bar = event.target.closest?.("[data-sale]:not([data-movable])");
  if (bar) open(bar);
});
document.addEventListener("focusout", (event) => {
  if (held && held.from === undefined && event.target === held.bar) putBack(held);
});
