// Pictures of an article, large: by a press on one, the arrow keys go through them, Escape closes. Without scripts the
// picture itself is opened.

let at = 0;

const pictures = () => [...document.querySelectorAll(".views a.larger")];

function show(step) {
  const all = pictures();
  const dialog = document.getElementById("gallery");
  at = (at + step + all.length) % all.length;
  const small = all[at].querySelector("img");
  const large = dialog.querySelector("img");
  large.src = all[at].getAttribute("href");
  large.alt = small.alt;
  dialog.querySelector("p").textContent = all.length > 1 ? `${small.alt} ${at + 1} / ${all.length}` : small.alt;
  for (const one of dialog.querySelectorAll("[data-step]")) one.hidden = all.length < 2;
}

document.addEventListener("click", (event) => {
  const dialog = document.getElementById("gallery");
  const picture = event.target.closest?.("a.larger");
  if (picture && dialog && !event.ctrlKey && !event.metaKey && !event.shiftKey) {
    event.preventDefault();
    at = pictures().indexOf(picture);
    show(0);
    dialog.classList.remove("close-up");
    dialog.showModal();
    return;
  }
  if (!dialog?.open) return;
  const step = event.target.closest?.("[data-step]");
  if (step) show(Number(step.dataset.step));
  else if (event.target.tagName === "IMG") dialog.classList.toggle("close-up");
  else if (event.target === dialog || event.target.closest?.("[data-close]")) dialog.close();
});
document.addEventListener("keydown", (event) => {
  const dialog = document.getElementById("gallery");
  const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  if (!dialog?.open || !step) return;
  event.preventDefault();
  show(step);
});
// Whoever closes it goes on at the picture that was seen last.
document.addEventListener("close", (event) => event.target.id === "gallery" && pictures()[at]?.focus(), true);
