// The table as a spreadsheet: cells edited in place, a column pasted, rows unfolded.
import "./chosen.js";
import { bring, counted, element, firstReached, focusAmong, post, say, shift, whenShown } from "./shared.js";

const table = () => document.querySelector("#goods[data-editable]");
function cellsOf(row) {
  return [...row.querySelectorAll("td[data-cell]")];
}
function rowsOf() {
  return [...table().querySelectorAll("tbody tr")].filter((row) => !row.hidden);
}
function fieldOf(cell) {
  return cell.dataset.cell.split(":")[1];
}
function below(cell, step) {
  const rows = rowsOf();
  for (let at = rows.indexOf(cell.parentElement) + step; at >= 0 && at < rows.length; at += step) {
    const found = cellsOf(rows[at]).find(
      (one) => fieldOf(one) === fieldOf(cell) || (fieldOf(cell) === "status" && fieldOf(one) === "archived"),
    );
    if (found) return found;
  }
  return null;
}
function beside(cell, step) {
  const all = rowsOf().flatMap(cellsOf);
  return all[all.indexOf(cell) + step] || null;
}
const WORDS = { status: ["draft", "live", "archived"], archived: ["for sale", "archived"] };

function edit(cell, typed) {
  if (cell.querySelector(".in-cell")) return;
  const words = WORDS[fieldOf(cell)];
  const field = document.createElement(words ? "select" : "input");
  field.className = "in-cell";
  field.setAttribute(
    "aria-label",
    `${fieldOf(cell).replace("_", " ")} of ${cell.parentElement.querySelector(".name").textContent.trim()}`,
  );
  if (words) field.append(...words.map((word) => new Option(word, word)));
  else field.type = "text";
  field.value = typed === undefined ? cell.dataset.pending || cell.dataset.value : typed;
  cell.dataset.shown = cell.innerHTML;
  cell.replaceChildren(field);
  field.focus();
  if (!words && typed === undefined) field.select();
  let done = false;
  const leave = (keep, next) => {
    if (done) return;
    done = true;
    const text = field.value;
    cell.innerHTML = cell.dataset.shown;
    delete cell.dataset.shown;
    if (keep) take(cell, text);
    if (next) focusCell(next);
    else if (keep !== "blur") focusCell(cell);
  };
  field.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key === "Escape") {
      event.preventDefault();
      leave(false);
    }
    if (event.key === "Enter") {
      event.preventDefault();
      leave(true, below(cell, event.shiftKey ? -1 : 1) || cell);
    }
    if (event.key === "Tab") {
      const next = beside(cell, event.shiftKey ? -1 : 1);
      if (next) {
        event.preventDefault();
        leave(true);
        edit(next);
      }
    }
  });
  field.addEventListener("blur", () => leave("blur"));
  field.addEventListener("paste", (event) => {
    const lines = pasted(event);
    if (lines.length > 1) {
      event.preventDefault();
      leave(false);
      takeColumn(cell, lines);
    }
  });
}
// While a pasted column waits, a cell that is edited waits with it: what was pasted beside it is not lost.
function take(cell, text) {
  if (pendingCells().length) {
    cell.querySelector(".cell-wrong")?.remove();
    if (text !== cell.dataset.value || cell.dataset.pending !== undefined) put(cell, text);
    showPending();
  } else if (text !== cell.dataset.value) save([[cell, text]]);
}
function toggleRows(button) {
  const open = button.getAttribute("aria-expanded") === "true";
  const rows = document.querySelectorAll(`#goods tr[data-of="${button.dataset.unfold}"]`);
  button.setAttribute("aria-expanded", open ? "false" : "true");
  button.textContent = open ? "▸" : "▾";
  rows.forEach((row) => {
    row.hidden = open;
  });
  return open || rows.length
    ? null
    : bring("GET", button.dataset.rows, { target: () => button.isConnected && button.closest("tr"), swap: "afterend" });
}
function cells() {
  return [...table().querySelectorAll("td[data-cell]")];
}
function focusCell(cell) {
  focusAmong(cells(), cell);
}
function pasted(event) {
  return event.clipboardData
    .getData("text")
    .replace(/\r/g, "")
    .replace(/\n$/, "")
    .split("\n")
    .map((line) => line.split("\t")[0]);
}

// A pasted column is shown in its cells first; nothing is written before it is said so.
function takeColumn(cell, lines) {
  let at = cell;
  const left = [...lines];
  while (at && left.length) {
    put(at, left.shift().trim());
    at = below(at, 1);
  }
  showPending(left);
  document.querySelector("#paste-bar [data-paste-apply]").focus();
}
function put(cell, text) {
  cell.dataset.pending = text;
  cell.classList.add("pending");
}
function pendingCells() {
  return [...document.querySelectorAll("#goods td.pending")];
}
function showPending(left = []) {
  const bar = document.getElementById("paste-bar");
  const cells = pendingCells();
  bar.hidden = !cells.length;
  const more = left.length
    ? `; ${counted(left.length, "line")} below the last row not taken, from “${left[0]}” on`
    : "";
  bar.querySelector("[data-paste-count]").textContent = `${counted(cells.length, "pasted cell")}, not saved${more}`;
  for (const cell of cells) {
    if (cell.dataset.before === undefined) cell.dataset.before = cell.innerHTML;
    if (!cell.querySelector(".cell-wrong"))
      cell.textContent = `${cell.dataset.value || "blank"} → ${cell.dataset.pending || "blank"}`;
  }
}
function dropPending() {
  for (const cell of pendingCells()) {
    cell.classList.remove("pending");
    cell.innerHTML = cell.dataset.before;
    delete cell.dataset.before;
    delete cell.dataset.pending;
  }
  document.getElementById("paste-bar").hidden = true;
}

async function save(changes) {
  document.querySelectorAll("#goods .cell-wrong").forEach((old) => old.remove());
  for (const [cell] of changes) cell.classList.add("saving");
  const cells = JSON.stringify(
    changes.map(([cell, text]) => ({ cell: cell.dataset.cell, text, was: cell.dataset.value })),
  );
  const { ok, said } = await post("/products/cells", { cells });
  for (const [cell] of changes) cell.classList.remove("saving");
  if (ok) reload(changes.map(([cell]) => cell.dataset.cell));
  else if (said.problems) said.problems.forEach(showProblem);
  else say(said.problem || "This did not work. Try again.");
}
function showProblem(problem) {
  const cell = problem.cell && cellCalled(problem.cell);
  if (!cell) {
    say(problem.message);
    return;
  }
  const note = element("div", { className: "cell-wrong", textContent: problem.message });
  note.setAttribute("role", "alert");
  cell.append(note);
}
function cellCalled(key) {
  return document.querySelector(`#goods [data-cell="${CSS.escape(key)}"]`);
}
// What follows from a change (price ranges, counts) is worked out by the server: the rows are read again.
async function reload(keys) {
  const focused = document.activeElement?.dataset ? document.activeElement.dataset.cell : null;
  const open = [...document.querySelectorAll("[data-unfold][aria-expanded=true]")].map(
    (button) => button.dataset.unfold,
  );
  await bring("GET", location.pathname + location.search, { target: "#results", swap: "outerHTML" });
  for (const id of open) {
    const button = document.querySelector(`[data-unfold="${id}"]`);
    if (button) await toggleRows(button);
  }
  const cell = cellCalled(focused || keys[0]);
  if (cell) focusCell(cell);
}

document.addEventListener("dblclick", (event) => {
  const cell = table() && event.target.closest("#goods td[data-cell]");
  if (cell) {
    event.preventDefault();
    edit(cell);
  }
});
document.addEventListener("click", (event) => {
  const cell = table() && event.target.closest("#goods td[data-cell]");
  if (cell && !event.target.closest("a, button, input, select")) focusCell(cell);
  const unfold = event.target.closest("[data-unfold]");
  if (unfold) toggleRows(unfold);
  if (event.target.closest("[data-paste-apply]")) save(pendingCells().map((one) => [one, one.dataset.pending]));
  if (event.target.closest("[data-paste-drop]")) dropPending();
  const move = event.target.closest("[data-column-up], [data-column-down]");
  if (move) {
    shift(move.closest("li"), move.hasAttribute("data-column-up") ? -1 : 1);
    move.focus();
  }
});
document.addEventListener("paste", (event) => {
  const cell = document.activeElement?.matches("#goods td[data-cell]") ? document.activeElement : null;
  if (!cell) return;
  event.preventDefault();
  takeColumn(cell, pasted(event));
});
document.addEventListener(
  "keydown",
  (event) => {
    const link = event.key === "F2" && event.target.matches?.("#goods td[data-cell] a.open") ? event.target : null;
    const at = link?.closest("td") ?? event.target;
    const cell = at.matches?.("#goods td[data-cell]") && table() ? at : null;
    if (!cell || event.ctrlKey || event.metaKey || event.altKey) return;
    const steps = {
      ArrowDown: () => below(cell, 1),
      ArrowUp: () => below(cell, -1),
      ArrowRight: () => beside(cell, 1),
      ArrowLeft: () => beside(cell, -1),
    };
    if (event.key in steps) {
      event.preventDefault();
      event.stopPropagation();
      const next = steps[event.key]();
      if (next) focusCell(next);
      return;
    }
    if (event.key === "Enter" || event.key === "F2") {
      event.preventDefault();
      edit(cell);
      return;
    }
    if (event.key === "Escape") {
      dropPending();
      return;
    }
    if (event.key.length === 1 && event.key !== "/") {
      event.preventDefault();
      edit(cell, WORDS[fieldOf(cell)] ? undefined : event.key);
    }
  },
  true,
);

function beginTable() {
  if (!table()) return;
  firstReached(cells());
}
whenShown(beginTable);
