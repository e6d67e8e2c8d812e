// The goods of a category: put in and ordered by drag, ordered by keyboard; conditions taken away.
import { bring, DRAGGED, focusAmong, whenShown } from "./shared.js";
import { Sortable } from "./vendor/sortable.js";

// A list whose rows share their columns is a grid, and would be taken for one that runs across.
const IN_ROWS = { ...DRAGGED, direction: "vertical" };

function goodsList() {
  return document.querySelector("[data-goods]");
}
function entries() {
  return [...document.querySelectorAll("[data-goods] > li")];
}
function idsOf(list) {
  return [...list.children].map((one) => one.dataset.id).join(" ");
}
function send(address, values) {
  const told = { from: goodsList()?.dataset.from ?? "0", q: document.getElementById("in-find-goods")?.value ?? "" };
  return bring("POST", address, { target: "#goods-part", swap: "outerHTML", values: { ...values, ...told } });
}

function goods() {
  const list = goodsList();
  if (list?.hasAttribute("data-may-edit") && !list.dataset.ready) {
    list.dataset.ready = "1";
    new Sortable(list, {
      group: { name: "goods", put: true },
      handle: "[data-grip]",
      ...IN_ROWS,
      onUpdate: () => send(list.dataset.order, { order: "hand", ids: idsOf(list) }),
      onAdd: (event) => send(list.dataset.put, { ids: event.item.dataset.id, order: idsOf(list) }),
    });
  }
  const found = document.querySelector("[data-found]");
  if (found && !found.dataset.ready) {
    found.dataset.ready = "1";
    new Sortable(found, {
      group: { name: "goods", pull: "clone", put: false },
      sort: false,
      ...IN_ROWS,
      filter: "button",
      preventOnFilter: false,
    });
  }
}
whenShown(goods);

let moved = null; // the one that was moved by keyboard: it keeps the focus when the list comes back
document.addEventListener("keydown", (event) => {
  const one = event.target.closest("[data-goods] > li");
  if (!one || event.target !== one || !["ArrowUp", "ArrowDown", "Enter"].includes(event.key)) return;
  if (event.key === "Enter") {
    one.querySelector("a").click();
    return;
  }
  event.preventDefault();
  const near = event.key === "ArrowUp" ? one.previousElementSibling : one.nextElementSibling;
  if (!near) return;
  if (!event.altKey) {
    focusAmong(entries(), near);
    return;
  }
  const list = one.parentElement;
  if (!list.hasAttribute("data-may-edit")) return;
  if (event.key === "ArrowUp") near.before(one);
  else near.after(one);
  moved = one.dataset.id;
  send(list.dataset.order, { order: "hand", ids: idsOf(list) });
});
document.addEventListener("htmx:afterSettle", () => {
  const one = moved && document.querySelector(`[data-goods] > li[data-id="${moved}"]`);
  if (one) {
    focusAmong(entries(), one);
    moved = null;
  }
});
document.addEventListener("click", (event) => {
  const drop = event.target.closest("[data-drop-condition]");
  if (drop) drop.closest(".condition").remove();
});
