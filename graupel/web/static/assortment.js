// The goods of a category: put in and ordered by drag, ordered by keyboard; conditions taken away.
"use strict";

function goodsList() { return document.querySelector("[data-goods]"); }
function idsOf(list) { return [...list.children].map((one) => one.dataset.id).join(" "); }
function send(address, values) { return htmx.ajax("POST", address, { target: "#goods-part", swap: "outerHTML", values }); }

function goods() {
  const list = goodsList();
  if (list && list.hasAttribute("data-may-edit") && !list.dataset.ready) {
    list.dataset.ready = "1";
    new Sortable(list, {
      group: { name: "goods", put: true }, handle: "[data-grip]", animation: 120, forceFallback: true,
      onUpdate: () => send(list.dataset.order, { order: "hand", ids: idsOf(list) }),
      onAdd: (event) => send(list.dataset.put, { ids: event.item.dataset.id, order: idsOf(list) }),
    });
  }
  const found = document.querySelector("[data-found]");
  if (found && !found.dataset.ready) {
    found.dataset.ready = "1";
    new Sortable(found, { group: { name: "goods", pull: "clone", put: false }, sort: false, animation: 120, forceFallback: true, filter: "button", preventOnFilter: false });
  }
}
document.addEventListener("DOMContentLoaded", goods);
document.addEventListener("htmx:afterSettle", goods);

let moved = null; // the one that was moved by keyboard: it keeps the focus when the list comes back
document.addEventListener("keydown", (event) => {
  const one = event.target.closest("[data-goods] > li");
  if (!one || event.target !== one || !["ArrowUp", "ArrowDown", "Enter"].includes(event.key)) return;
  if (event.key === "Enter") { one.querySelector("a").click(); return; }
  event.preventDefault();
  const near = event.key === "ArrowUp" ? one.previousElementSibling : one.nextElementSibling;
  if (!near) return;
  if (!event.altKey) { one.tabIndex = -1; near.tabIndex = 0; near.focus(); return; }
  const list = one.parentElement;
  if (!list.hasAttribute("data-may-edit")) return;
  if (event.key === "ArrowUp") near.before(one); else near.after(one);
  moved = one.dataset.id;
  send(list.dataset.order, { order: "hand", ids: idsOf(list) });
});
document.addEventListener("htmx:afterSettle", () => {
  const one = moved && document.querySelector(`[data-goods] > li[data-id="${moved}"]`);
  if (one) { document.querySelectorAll("[data-goods] > li[tabindex='0']").forEach((other) => { other.tabIndex = -1; }); one.tabIndex = 0; one.focus(); moved = null; }
});
document.addEventListener("click", (event) => {
  const drop = event.target.closest("[data-drop-condition]");
  if (drop) drop.closest(".condition").remove();
});
