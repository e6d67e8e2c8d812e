// "Why?" beside a price: the steps that lead to it, in a box below what was pressed.

let asked = null;

function close(back) {
  document.querySelector(".why-box")?.remove();
  if (back) asked?.focus();
  asked = null;
}

/** The box stands on the page itself, so that no frame that scrolls cuts it off. */
function place(box, beside) {
  const at = beside.getBoundingClientRect();
  const wide = Math.min(box.offsetWidth, window.innerWidth - 16);
  const room = window.innerHeight - at.bottom;
  const left = Math.max(8, Math.min(at.left, window.innerWidth - wide - 8));
  const top = room > box.offsetHeight + 8 || at.top < box.offsetHeight ? at.bottom + 4 : at.top - box.offsetHeight - 4;
  box.style.left = `${left + window.scrollX}px`;
  box.style.top = `${top + window.scrollY}px`;
}

async function open(button, address = button.dataset.why) {
  const again = asked === button;
  close(false);
  if (again) return;
  asked = button;
  const answer = await fetch(address, { headers: { "HX-Request": "true" } });
  const said = new DOMParser().parseFromString(await answer.text(), "text/html");
  const box = said.querySelector(".why-box, .note");
  if (!box || asked !== button) return;
  box.classList.add("why-box");
  box.tabIndex = -1;
  // The part of the page with the button is also where it goes when that part is brought in anew.
  (button.closest("dialog") ?? document.body).append(box);
  place(box, button);
  box.focus();
}

document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-why]");
  if (button) {
    event.preventDefault();
    open(button);
  } else if (event.target.closest("[data-why-close]")) close(true);
  else if (asked && !event.target.closest(".why-box")) close(false);
});
// In the table the price in focus is asked with the key "?".
document.addEventListener(
  "keydown",
  (event) => {
    const cell = event.key === "?" && event.target.matches?.("td[data-why-of]") ? event.target : null;
    if (!cell) return;
    event.preventDefault();
    event.stopPropagation();
    open(cell, cell.dataset.whyOf);
  },
  true,
);
document.addEventListener("keydown", (event) => {
  if (event.key === "Escape" && document.querySelector(".why-box")) {
    event.preventDefault();
    event.stopPropagation();
    close(true);
  }
});
