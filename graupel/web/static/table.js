// The products table by keyboard: arrows move from row to row, Enter opens.

function openers() {
  return [...document.querySelectorAll("#goods a.open")];
}

document.addEventListener("keydown", (event) => {
  if (event.key !== "ArrowDown" && event.key !== "ArrowUp") return;
  const links = openers();
  const at = links.indexOf(document.activeElement);
  const fromSearch = document.activeElement && document.activeElement.id === "find";
  const inField = document.activeElement?.matches("input, select, textarea") && !fromSearch;
  if (!links.length || inField) return;
  event.preventDefault();
  if (event.key === "ArrowUp" && at === 0) {
    document.getElementById("find").focus();
    return;
  }
  const next = at < 0 ? 0 : Math.min(links.length - 1, Math.max(0, at + (event.key === "ArrowDown" ? 1 : -1)));
  links[next].focus();
});
