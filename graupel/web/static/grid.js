// The grid of variants: cells selected by mouse and keyboard, gaps filled, one variant opened.
import "./choose.js";
import "./margins.js";
import { bring, changed, counted, firstReached, focusAmong, whenShown } from "./shared.js";
import { sheetOf, unsavedIn } from "./sheets.js";

const grid = {
  part: () => document.getElementById("variants"),
  cells: () => [...document.querySelectorAll("#variants [data-grid] td[data-id], #variants [data-grid] td[data-fill]")],
  rows: () => [...document.querySelectorAll("#variants [data-grid] tbody tr")],
  selected: new Set(),
  anchor: null,
};

function placeOf(cell) {
  const row = cell.parentElement;
  return [grid.rows().indexOf(row), [...row.querySelectorAll("td")].indexOf(cell)];
}
function cellAt(row, column) {
  const line = grid.rows()[row];
  return line ? line.querySelectorAll("td")[column] : null;
}

function paint() {
  for (const cell of grid.cells())
    if (cell.dataset.id) cell.setAttribute("aria-selected", grid.selected.has(cell.dataset.id) ? "true" : "false");
  const acts = document.querySelector("#variants [data-acts]");
  if (!acts) return;
  acts.querySelector("[data-ids]").value = [...grid.selected].join(".");
  acts.querySelector("[data-count]").textContent = grid.selected.size
    ? `${counted(grid.selected.size, "variant")} selected`
    : "Nothing selected";
}
function selectBetween(one, other, keep) {
  const [r1, c1] = placeOf(one);
  const [r2, c2] = placeOf(other);
  if (!keep) grid.selected.clear();
  for (let r = Math.min(r1, r2); r <= Math.max(r1, r2); r += 1) {
    for (let c = Math.min(c1, c2); c <= Math.max(c1, c2); c += 1) {
      const cell = cellAt(r, c);
      if (cell?.dataset.id) grid.selected.add(cell.dataset.id);
    }
  }
  paint();
}
function focusCell(cell) {
  focusAmong(grid.cells(), cell);
}
function line(cells, keep) {
  if (!keep) grid.selected.clear();
  const ids = cells.filter((cell) => cell.dataset.id).map((cell) => cell.dataset.id);
  const all = ids.every((id) => grid.selected.has(id));
  for (const id of ids)
    if (all && keep) grid.selected.delete(id);
    else grid.selected.add(id);
  paint();
}
function openOne(cell) {
  bring("GET", `${grid.part().dataset.variants}/${cell.dataset.id}`, { target: "#one-variant", swap: "innerHTML" });
}
function closeOne() {
  const holder = document.getElementById("one-variant");
  const form = holder?.querySelector("form");
  const typed = form && unsavedIn(sheetOf(form)).length;
  if (typed && !window.confirm("What you typed about this variant is not saved. Close it? It is offered again."))
    return;
  holder?.replaceChildren();
}
function fillGap(cell) {
  if (!document.querySelector("#variants [data-acts]")) return;
  const acts = document.querySelector("#variants [data-acts]");
  bring("POST", `${grid.part().dataset.variants}/fill`, {
    target: "#variants",
    swap: "outerHTML",
    values: {
      combination: cell.dataset.fill,
      by: acts.querySelector("[name=by]").value,
      layer: acts.querySelector("[name=layer]").value,
    },
  });
}

document.addEventListener("mousedown", (event) => {
  const cell = event.target.closest("#variants [data-grid] td[data-id]");
  if (!cell || event.button) return;
  event.preventDefault();
  const add = event.ctrlKey || event.metaKey;
  if (event.shiftKey && grid.anchor) {
    selectBetween(grid.anchor, cell, add);
    focusCell(cell);
    return;
  }
  if (add) {
    if (grid.selected.has(cell.dataset.id)) grid.selected.delete(cell.dataset.id);
    else grid.selected.add(cell.dataset.id);
    paint();
  } else selectBetween(cell, cell, false);
  grid.anchor = cell;
  focusCell(cell);
  const move = (moved) => {
    const under = moved.target.closest?.("#variants [data-grid] td");
    if (under?.dataset.id && !add) {
      selectBetween(grid.anchor, under, false);
      focusCell(under);
    }
  };
  document.addEventListener("mouseover", move);
  document.addEventListener("mouseup", () => document.removeEventListener("mouseover", move), { once: true });
});
document.addEventListener("dblclick", (event) => {
  const cell = event.target.closest("#variants [data-grid] td[data-id]");
  if (cell) openOne(cell);
});
document.addEventListener("click", (event) => {
  const gap = event.target.closest("#variants [data-grid] td[data-fill]");
  if (gap) {
    fillGap(gap);
    return;
  }
  const column = event.target.closest("#variants [data-grid] th[data-col]");
  const row = event.target.closest("#variants [data-grid] th[data-row]");
  const keep = event.ctrlKey || event.metaKey;
  if (column)
    line(
      grid.rows().map((one) => one.querySelectorAll("td")[Number(column.dataset.col)]),
      keep,
    );
  if (row) line([...row.parentElement.querySelectorAll("td")], keep);
  if (event.target.closest("[data-close]")) closeOne();
  const clear = event.target.closest("[data-clear]");
  if (clear) {
    const field = document.getElementById(clear.dataset.clear);
    field.value = "";
    field.focus();
  }
  const leave = event.target.closest("[data-leave]");
  if (leave) toggleLeft(leave);
  const all = event.target.closest("[data-tick-all]");
  if (all) {
    const boxes = [...all.closest("fieldset").querySelectorAll("input[type=checkbox]:not([disabled])")];
    const on = !boxes.every((box) => box.checked);
    boxes.forEach((box) => {
      box.checked = on;
    });
  }
});
function toggleLeft(button) {
  const field = document.querySelector("[data-left-out]");
  const left = new Set(field.value.split(/\s+/).filter(Boolean));
  const out = button.getAttribute("aria-pressed") === "true";
  if (out) left.add(button.dataset.leave);
  else left.delete(button.dataset.leave);
  button.setAttribute("aria-pressed", out ? "false" : "true");
  button.className = out ? "left" : "new";
  button.textContent = out ? "" : "●";
  field.value = [...left].join(" ");
  const make = document.querySelector("[data-make-variants]");
  const count = document.querySelectorAll("[data-leave][aria-pressed=true]").length;
  make.textContent = count ? `Make ${counted(count, "variant")}` : "Keep these attributes";
  document.querySelector("[name=shown]").value = [...document.querySelectorAll("[data-leave][aria-pressed=true]")]
    .map((one) => one.dataset.leave)
    .join(" ");
}
document.addEventListener("change", (event) => {
  if (event.target.id !== "set-field") return;
  document.getElementById("set-value").placeholder = event.target.selectedOptions[0].dataset.example;
});
const STEPS = { ArrowRight: [0, 1], ArrowLeft: [0, -1], ArrowDown: [1, 0], ArrowUp: [-1, 0] };
document.addEventListener("keydown", (event) => {
  const cell = event.target.closest?.("#variants [data-grid] td");
  if (event.key === "Enter" && event.target.id === "set-value") {
    event.preventDefault();
    document.querySelector("[data-enter]").click();
    return;
  }
  if (event.key === "Enter" && event.target.matches && event.target.matches("[data-builder-form] input[type=text]")) {
    // Enter takes what was typed; it must not send the form off.
    event.preventDefault();
    const button = event.target.id === "pattern" ? null : event.target.closest(".actions")?.querySelector("button");
    if (button) button.click();
    else changed(event.target, "change");
    return;
  }
  if (event.key === "Escape" && event.target.closest && event.target.closest("#one-variant")) {
    closeOne();
    return;
  }
  if (!cell) return;
  if (event.key in STEPS) {
    event.preventDefault();
    const [r, c] = placeOf(cell);
    const next = cellAt(r + STEPS[event.key][0], c + STEPS[event.key][1]);
    if (!next) return;
    if (event.shiftKey) {
      grid.anchor = grid.anchor || cell;
      selectBetween(grid.anchor, next, false);
    } else grid.anchor = next;
    focusCell(next);
    return;
  }
  if (event.key.toLowerCase() === "a" && (event.ctrlKey || event.metaKey)) {
    event.preventDefault();
    line(grid.cells(), false);
    return;
  }
  if (event.key === " ") {
    event.preventDefault();
    line([cell], true);
    grid.anchor = cell;
    return;
  }
  if (event.key === "Enter") {
    event.preventDefault();
    if (cell.dataset.id) openOne(cell);
    else fillGap(cell);
  }
  if (event.key === "Escape") {
    grid.selected.clear();
    paint();
  }
});
function beginGrid() {
  const part = grid.part();
  if (!part) return;
  const known = new Set(
    grid
      .cells()
      .map((cell) => cell.dataset.id)
      .filter(Boolean),
  );
  for (const id of [...grid.selected]) if (!known.has(id)) grid.selected.delete(id);
  if (grid.anchor && !document.body.contains(grid.anchor)) grid.anchor = null;
  firstReached(grid.cells());
  paint();
}
whenShown(beginGrid);
// A variant that was open stays open, with the focus where it was, when the part is drawn anew.
let reopened = null;
document.addEventListener("htmx:beforeSwap", (event) => {
  const { target, shouldSwap } = event.detail;
  const one = document.getElementById("variant-form");
  if (!one || !shouldSwap || target.id === "one-variant" || !target.contains(one)) return;
  const focus = one.contains(document.activeElement) ? document.activeElement.id : "";
  reopened ??= { address: one.getAttribute("hx-post"), focus };
});
async function reopen() {
  const { address, focus } = reopened;
  reopened = null;
  if (!document.getElementById("one-variant")) return;
  await bring("GET", address, { target: "#one-variant", swap: "innerHTML" });
  if (focus) document.getElementById(focus)?.focus({ preventScroll: true });
}
document.addEventListener("htmx:afterSwap", (event) => {
  const { target, requestConfig, xhr } = event.detail;
  target?.querySelector?.("[data-first]")?.focus();
  // What was made or set moves the product's version: the form beside it is read again, unless somebody typed in it.
  const wrote = requestConfig?.verb === "post" && xhr.status === 200;
  const form = document.getElementById("product-form");
  if (wrote && form?.dataset.product && target?.id === "variants" && !unsavedIn(sheetOf(form)).length)
    bring("GET", `/products/${form.dataset.product}`, { target: "#editor", swap: "outerHTML" });
  else if (reopened) reopen();
});
