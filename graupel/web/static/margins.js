// Margin and markup beside price and cost: typed they give the price; a price can be moved to the shop's ending.

const field = (name) => document.getElementById(`in-${name}`);

function ask(fields) {
  const asked = new URLSearchParams(fields);
  return fetch(`/prices/worked-out?${asked}`).then(async (answer) => ({ ok: answer.ok, said: await answer.json() }));
}

function says(text) {
  const place = document.getElementById("margin-says");
  if (place) place.textContent = text;
}

async function work(fields, into) {
  const { ok, said } = await ask({ tax_class: field("tax_class_id")?.value ?? "", ...fields });
  if (!ok) {
    says((said.wrong ?? [said.detail ?? "That can’t be worked out."]).join(" "));
    return;
  }
  says("");
  if (into && said.price) {
    into.value = said.price;
    into.dispatchEvent(new Event("input", { bubbles: true }));
  }
}

document.addEventListener("change", (event) => {
  const name = event.target.dataset?.share;
  if (!name || !event.target.value.trim()) return;
  work({ cost: field("cost").value, [name]: event.target.value }, field("price"));
});
// Enter in the margin works the price out and saves nothing yet.
document.addEventListener("keydown", (event) => {
  if (event.key !== "Enter" || !event.target.dataset?.share) return;
  event.preventDefault();
  event.target.dispatchEvent(new Event("change", { bubbles: true }));
});
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-end-price]");
  if (!button) return;
  const into = document.getElementById(button.dataset.endPrice);
  if (into.value.trim()) work({ price: into.value }, into);
});
