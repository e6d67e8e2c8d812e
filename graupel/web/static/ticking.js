// Forms in which pieces are ticked: all at once, and the button says how many there are.
const boxes = (form) => [...form.querySelectorAll('[name="piece"]')];

function count(form) {
  const button = form.querySelector("[data-ticked]");
  const number = boxes(form).filter((box) => box.checked).length;
  button.textContent = number ? `${button.dataset.ticked} (${number})` : button.dataset.ticked;
  const all = form.querySelector("[data-tick-pieces]");
  if (all) all.textContent = boxes(form).every((box) => box.checked) ? "Tick none" : "Tick all";
}

document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-tick-pieces]");
  if (!button) return;
  const ticked = boxes(button.form).every((box) => box.checked);
  for (const box of boxes(button.form)) box.checked = !ticked;
  count(button.form);
});

document.addEventListener("change", (event) => {
  if (event.target.name === "piece" && event.target.form) count(event.target.form);
});

for (const form of document.querySelectorAll("form:has([data-ticked])")) count(form);
