// The category trees: unfolded level by level, moved by drag and by keyboard, renamed and added in place.
import "./choose.js";
import "./media.js";
import { richText } from "./rich.js";
import { ask, bring, DRAGGED, element, focusAmong, say, whenShown } from "./shared.js";
import { Sortable } from "./vendor/sortable.js";

function trees() {
  return document.getElementById("trees");
}
function item(element) {
  return element?.closest("#trees li[data-id]");
}
function ofId(id) {
  return document.querySelector(`#trees li[data-id="${id}"]`);
}
function row(node) {
  return node.querySelector(":scope > .node");
}
function mayEdit() {
  return trees()?.hasAttribute("data-may-edit");
}
function isFolded(node) {
  return row(node).getAttribute("aria-expanded") === "false";
}
function level(node) {
  return node.querySelector(":scope > .level");
}
function parentOf(list) {
  return list.dataset.parent;
}

function unfolded() {
  return [...document.querySelectorAll("#trees [aria-expanded=true]")].map((line) => item(line).dataset.id).join(".");
}
function chosen() {
  return item(document.querySelector("#trees [aria-selected=true]"));
}
async function reload(focus) {
  const address = () => `/categories?open=${unfolded()}&at=${chosen() ? chosen().dataset.id : ""}`;
  await bring("GET", address, { target: "#trees", swap: "outerHTML" });
  const node = focus && ofId(focus);
  if (node) go(node);
}

// --- going through it ------------------------------------------------------------------------------------------
function visible() {
  return [...document.querySelectorAll("#trees li[data-id]")].filter((node) => node.offsetParent !== null);
}
function go(node) {
  focusAmong(document.querySelectorAll("#trees [role=treeitem][tabindex='0']"), row(node));
}
async function unfold({ dataset: { id } }) {
  const list = ofId(id) && level(ofId(id));
  if (list && !list.hasAttribute("data-loaded")) {
    list.setAttribute("data-loaded", "");
    await bring("GET", `/categories/${id}/below`, { target: () => ofId(id) && level(ofId(id)), swap: "innerHTML" });
  }
  const node = ofId(id); // the tree may have been drawn anew meanwhile
  if (!node) return;
  level(node).setAttribute("role", "group");
  row(node).setAttribute("aria-owns", level(node).id);
  row(node).setAttribute("aria-expanded", "true");
}
function fold(node) {
  row(node).setAttribute("aria-expanded", "false");
}
async function open({ dataset: { id } }) {
  await bring("GET", `/categories/${id}`, { target: "#category", swap: "innerHTML" });
  const lens = new URLSearchParams(window.location.search).get("lens");
  history.pushState(null, "", `/categories/${id}${lens ? `?lens=${lens}` : ""}`);
  document.querySelectorAll("#trees .node.current").forEach((old) => old.classList.remove("current"));
  document.querySelectorAll("#trees [aria-selected=true]").forEach((old) => old.setAttribute("aria-selected", "false"));
  const node = ofId(id);
  if (!node) return;
  row(node).classList.add("current");
  row(node).setAttribute("aria-selected", "true");
}
window.addEventListener("popstate", () => {
  if (trees()) window.location.reload();
});

document.addEventListener("click", (event) => {
  const add = event.target.closest("[data-add-to]");
  if (add) {
    write(add.closest(".tree").querySelector(".level.first-level"), null, add.dataset.addTo);
    return;
  }
  const beside = event.target.closest("[data-add]");
  if (beside) {
    beside.closest("details").open = false;
    addTo(chosen(), beside.dataset.add);
    return;
  }
  const node = item(event.target);
  if (!node || event.target.closest("input")) return;
  go(node);
  if (event.ctrlKey || event.metaKey) {
    pick(node);
    return;
  }
  if (event.target.closest("[data-fold]")) {
    if (row(node).hasAttribute("aria-expanded")) (isFolded(node) ? unfold : fold)(node);
  } else open(node);
});

// Several that are picked move together: with Ctrl and a click, or the space bar.
function pick(node) {
  const line = row(node);
  const is = line.classList.toggle("picked");
  if (is) line.setAttribute("aria-checked", "true");
  else line.removeAttribute("aria-checked");
  const count = document.querySelectorAll("#trees .picked").length;
  say(count > 1 ? `${count} categories picked: what moves one of them moves all.` : "");
}
function moving(node) {
  const picked = [...document.querySelectorAll("#trees .picked")].map(item);
  return (picked.includes(node) ? picked : [node]).map((one) => one.dataset.id).join(".");
}

// --- moving ----------------------------------------------------------------------------------------------------
async function send(node, parent, before) {
  const done = await ask("/categories/move", { ids: moving(node), parent, before });
  await reload(node.dataset.id);
  if (done && Number(parent) > 0) {
    const above = ofId(parent);
    if (above && isFolded(above)) await unfold(above);
  }
  const moved = ofId(node.dataset.id);
  if (moved) go(moved);
}
let moves = Promise.resolve();
/** Several keys, one after the other: each moves it from where the one before has put it. */
function byKeys({ dataset: { id } }, key) {
  const move = () => ofId(id) && byKeyboard(ofId(id), key);
  moves = moves.then(move, move);
}
function byKeyboard(node, key) {
  const list = node.parentElement;
  const [previous, following] = [node.previousElementSibling, node.nextElementSibling];
  const above = item(list);
  if (key === "ArrowUp" && previous) return send(node, parentOf(list), previous.dataset.id);
  if (key === "ArrowDown" && following)
    return send(node, parentOf(list), following.nextElementSibling ? following.nextElementSibling.dataset.id : null);
  if (key === "ArrowRight" && previous) return send(node, previous.dataset.id, null);
  if (key === "ArrowLeft" && above)
    return send(
      node,
      parentOf(above.parentElement),
      above.nextElementSibling ? above.nextElementSibling.dataset.id : null,
    );
  return null;
}
function sortable(list) {
  if (list.dataset.begun || !mayEdit()) return;
  list.dataset.begun = "1";
  new Sortable(list, {
    group: "categories",
    draggable: "li[data-id]",
    filter: "input",
    preventOnFilter: false,
    ...DRAGGED,
    fallbackOnBody: true,
    fallbackTolerance: 5,
    swapThreshold: 0.5,
    emptyInsertThreshold: 4,
    onStart: () => trees().classList.add("dragging"),
    onEnd: (event) => {
      trees().classList.remove("dragging");
      if (event.from === event.to && event.oldIndex === event.newIndex) return;
      const next = event.item.nextElementSibling;
      send(event.item, parentOf(event.to), next ? next.dataset.id : null);
    },
  });
}
function begin() {
  document.querySelectorAll("#trees .level").forEach(sortable);
  document.querySelectorAll("#category-form [data-rich-text]:not([data-begun])").forEach((holder) => {
    holder.dataset.begun = "1";
    richText(holder);
  });
}
whenShown(begin);

// --- names in place: another one, or new ones, one after the other -----------------------------------------------
function rename(node) {
  const label = row(node).querySelector(".label");
  const field = element("input", { type: "text", value: label.textContent, maxLength: 120 });
  field.setAttribute("aria-label", `Name of ${label.textContent}`);
  const was = label.textContent;
  let over = false;
  const end = async (keep) => {
    if (over) return;
    over = true;
    const name = field.value.trim();
    if (keep && name && name !== was) {
      if (await ask(`/categories/${node.dataset.id}/rename`, { name })) {
        await reload(node.dataset.id);
        return;
      }
    }
    label.textContent = was;
    go(node);
  };
  field.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key === "Enter") end(true);
    if (event.key === "Escape") end(false);
  });
  field.addEventListener("blur", () => end(true));
  label.replaceChildren(field);
  field.focus();
  field.select();
}
// A line for new names. Enter makes one and goes on with the next; a pasted list makes a branch; Escape ends.
function write(list, before, parent) {
  document.querySelectorAll("#trees .new-line").forEach((old) => old.remove());
  const line = element("li", { className: "new-line" });
  line.setAttribute("role", "treeitem");
  line.setAttribute("aria-label", "A new category");
  const field = element("input", { type: "text", maxLength: 120, placeholder: "New category" });
  field.setAttribute("aria-label", "Name of the new category; Enter makes it and goes on with the next");
  line.append(field);
  list.insertBefore(line, before);
  const above = item(list);
  if (above) row(above).setAttribute("aria-expanded", "true");
  const next = before?.dataset.id;
  const make = async (names) => {
    const done = await ask("/categories/add", { names, parent: parent || parentOf(list), before: next });
    if (!done) {
      field.focus();
      return;
    }
    await reload();
    const fresh = document.querySelector(`#trees .level[data-parent="${parent || parentOf(list)}"]`);
    const after = next && fresh.querySelector(`:scope > [data-id="${next}"]`);
    write(fresh, after || null, parent);
  };
  field.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key === "Enter" && field.value.trim()) make(field.value);
    if (event.key === "Escape") {
      const back = line.previousElementSibling || item(list);
      line.remove();
      if (back) go(back);
    }
  });
  field.addEventListener("paste", (event) => {
    const text = event.clipboardData.getData("text");
    if (!text.trim().includes("\n")) return;
    event.preventDefault();
    make(text);
  });
  field.focus();
}
async function addTo(node, where) {
  if (where === "inside") {
    if (row(node).hasAttribute("aria-expanded")) await unfold(node);
    write(level(node), null);
  } else write(node.parentElement, where === "before" ? node : node.nextElementSibling);
}
document.addEventListener("submit", async (event) => {
  if (!event.target.matches("[data-new-tree]")) return;
  event.preventDefault();
  if (await ask("/categories/trees", { name: event.target.elements.name.value })) reload();
});
document.addEventListener("change", (event) => {
  if (event.target.name === "layout")
    document.querySelectorAll("[data-with-layout]").forEach((part) => {
      part.hidden = part.dataset.withLayout !== event.target.value;
    });
  if (!event.target.matches("[data-kind]")) return;
  document.querySelectorAll("[data-only]").forEach((part) => {
    part.hidden = !part.dataset.only.split(" ").includes(event.target.value);
  });
});

document.addEventListener("keydown", (event) => {
  const node = item(event.target);
  if (!node || event.target !== row(node) || event.ctrlKey || event.metaKey) return;
  const shown = visible();
  const at = shown.indexOf(node);
  const stop = () => event.preventDefault();
  if (event.altKey && event.key.startsWith("Arrow")) {
    stop();
    if (mayEdit()) byKeys(node, event.key);
    return;
  }
  if (event.key === "ArrowDown" && shown[at + 1]) {
    stop();
    go(shown[at + 1]);
  }
  if (event.key === "ArrowUp" && at > 0) {
    stop();
    go(shown[at - 1]);
  }
  if (event.key === "Home") {
    stop();
    go(shown[0]);
  }
  if (event.key === "End") {
    stop();
    go(shown[shown.length - 1]);
  }
  if (event.key === " " && mayEdit()) {
    stop();
    pick(node);
  }
  if (event.key === "ArrowRight") {
    stop();
    if (isFolded(node)) unfold(node);
    else if (level(node).querySelector("li[data-id]")) go(level(node).querySelector("li[data-id]"));
  }
  if (event.key === "ArrowLeft") {
    stop();
    if (row(node).getAttribute("aria-expanded") === "true") fold(node);
    else if (item(node.parentElement)) go(item(node.parentElement));
  }
  if (event.key === "Enter") {
    stop();
    open(node);
  }
  if (event.key === "F2" && mayEdit()) {
    stop();
    rename(node);
  }
  if (event.key === "Insert" && mayEdit()) {
    stop();
    addTo(node, event.shiftKey ? "inside" : "after");
  }
});
// What was saved of a category (its name, whether buyers see it) is to be seen in the tree too.
document.addEventListener("htmx:afterRequest", (event) => {
  if (event.detail.requestConfig.elt.id === "category-form" && event.detail.successful) reload();
});
