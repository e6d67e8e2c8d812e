// Shelves are narrowed as soon as a choice is ticked: the page is fetched again and its floor replaced, so that focus,
// scroll and the unfolded filters stay. Without scripts the form has a button.

import { carry } from "./buying.js";
import "./gallery.js";

const narrowed = (form) => {
  const chosen = new URLSearchParams();
  for (const name of new Set(new FormData(form).keys())) {
    const said = new FormData(form).getAll(name).filter((text) => text.trim());
    if (said.length) chosen.set(name, said.join("."));
  }
  return location.pathname + (chosen.size ? `?${chosen}` : "");
};

let latest = 0;

async function show(address, { keep, sent }) {
  const turn = ++latest;
  const answer = await fetch(address, sent ? { method: "POST", body: sent } : {}).catch(() => null);
  const text = answer?.ok || sent ? ((await answer?.text()) ?? "") : "";
  if (turn !== latest) return;
  const page = new DOMParser().parseFromString(text, "text/html");
  const floor = page.getElementById("floor");
  if (!floor) {
    location.assign(address);
    return;
  }
  const focused = document.activeElement?.id;
  const before = document.getElementById("buy");
  for (const found of floor.querySelectorAll("details.filters")) found.open = true;
  document.getElementById("floor").replaceWith(floor);
  document.querySelector(".tongues")?.replaceWith(page.querySelector(".tongues") ?? "");
  document.querySelector(".to-basket")?.replaceWith(page.querySelector(".to-basket") ?? "");
  document.title = page.title;
  if (keep) history.pushState(null, "", address);
  ready();
  carry(before, document.getElementById("buy"));
  if (focused) document.getElementById(focused)?.focus({ preventScroll: true });
}

function ready() {
  for (const button of document.querySelectorAll("[data-narrow] [data-show]")) button.hidden = true;
}

document.addEventListener("change", (event) => {
  const form = event.target.closest?.("[data-narrow]");
  if (form) show(narrowed(form), { keep: true });
});
document.addEventListener("submit", (event) => {
  const form = event.target.closest?.("[data-narrow]");
  if (!form) return;
  event.preventDefault();
  show(narrowed(form), { keep: true });
});
document.addEventListener("click", (event) => {
  const link = event.target.closest?.("[data-narrow] a.clear");
  if (!link || event.ctrlKey || event.metaKey || event.shiftKey) return;
  event.preventDefault();
  show(location.pathname, { keep: true });
});
// A choice of a variant changes what depends on it and no more; without scripts it leads to the page of the variant.
document.addEventListener("click", (event) => {
  const way = event.target.closest?.("a.way");
  if (!way || event.ctrlKey || event.metaKey || event.shiftKey) return;
  event.preventDefault();
  const label = way.textContent;
  show(way.getAttribute("href"), { keep: true }).then(() => {
    const again = [...document.querySelectorAll("a.way")].find((one) => one.textContent === label);
    again?.focus({ preventScroll: true });
  });
});
// Another number of pieces, or another country, changes what the basket comes to at once; what is typed elsewhere in
// its form is sent along and stays.
document.addEventListener("change", (event) => {
  const form = event.target.closest?.("[data-basket]");
  if (!form || !event.target.matches("[data-recount]")) return;
  const sent = new FormData(form);
  sent.set("do", "change");
  show(form.getAttribute("action"), { keep: false, sent });
});
// What stands beside the goods stands above them where there is little room, and then would push them out of sight.
if (matchMedia("(max-width: 700px)").matches) {
  for (const found of document.querySelectorAll("details[data-beside]")) found.open = false;
}
window.addEventListener("popstate", () => show(location.href, { keep: false }));
ready();
