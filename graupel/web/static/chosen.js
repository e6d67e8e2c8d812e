// Rows of the products table that are chosen: they stay so while one goes through its pages.
import { settle } from "./choose.js";
import { counted, whenShown } from "./shared.js";

const PLACE = "chosen products";
function stored() {
  try {
    return new Set(JSON.parse(sessionStorage.getItem(PLACE)) ?? []);
  } catch {
    return new Set();
  }
}
const chosen = stored();
function boxes() {
  return [...document.querySelectorAll("#goods [name=chosen]")];
}
function show() {
  const bar = document.getElementById("bulk-bar");
  if (!bar) return;
  const here = boxes().filter((box) => chosen.has(box.value)).length;
  const all = bar.querySelector("[data-bulk-all]");
  bar.hidden = !chosen.size;
  if (!chosen.size && all) all.checked = false;
  bar.querySelector("[data-bulk-ids]").value = [...chosen].join(".");
  const away = chosen.size - here;
  const out = away ? `, ${here ? `${away.toLocaleString("en")} of them` : "all of them"} out of sight` : "";
  bar.querySelector("[data-bulk-count]").textContent = `${counted(chosen.size, "product")} chosen${out}`;
  sessionStorage.setItem(PLACE, JSON.stringify([...chosen]));
}
function tick(box) {
  if (box.checked) chosen.add(box.value);
  else chosen.delete(box.value);
}
function clear() {
  chosen.clear();
  for (const box of boxes()) box.checked = false;
  show();
}
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-bulk-clear]")) clear();
  const way = event.target.closest("[data-bulk-to]");
  if (!way) return;
  const all = document.querySelector("[data-bulk-all]:checked");
  const asked = all ? { query: document.getElementById("kept-query").value } : { products: [...chosen].join(".") };
  const join = way.dataset.bulkTo.includes("?") ? "&" : "?";
  window.location.assign(`${way.dataset.bulkTo}${join}${new URLSearchParams(asked)}`);
});
// What was typed into a chooser and not confirmed is taken first, or asked about.
document.addEventListener("htmx:confirm", (event) => {
  if (!event.target.matches(".bulk-form")) return;
  event.preventDefault();
  settle(event.target).then((all) => all && event.detail.issueRequest());
});
// Who goes on to what would change has done with choosing; the way back shows them again.
whenShown(() => {
  for (const box of boxes()) box.checked = chosen.has(box.value);
  show();
});
document.addEventListener("change", (event) => {
  if (event.target.matches("[data-tick-page]"))
    for (const box of boxes()) {
      box.checked = event.target.checked;
      tick(box);
    }
  if (event.target.matches("#goods [name=chosen]")) tick(event.target);
  if (event.target.matches("[data-tick-page], #goods [name=chosen]")) show();
});
