// A file to bring in comes in pieces as soon as it is chosen or dropped.
import "./pieces.js";

document.addEventListener("dragover", (event) => {
  const drop = event.target.closest?.("[data-file-drop]");
  if (!drop) return;
  event.preventDefault();
  drop.classList.add("over");
});
document.addEventListener("dragleave", (event) => {
  event.target.closest?.("[data-file-drop]")?.classList.remove("over");
});
document.addEventListener("drop", (event) => {
  const drop = event.target.closest?.("[data-file-drop]");
  if (!drop) return;
  event.preventDefault();
  drop.classList.remove("over");
  if (!event.dataTransfer.files.length) return;
  const input = drop.querySelector("input");
  input.files = event.dataTransfer.files;
  input.dispatchEvent(new Event("change", { bubbles: true }));
});

// A table that is pasted anywhere on the page is looked at like a file.
document.addEventListener("paste", (event) => {
  const form = document.getElementById("paste-form");
  if (!form || event.target.closest?.("input, textarea, [contenteditable]")) return;
  const text = event.clipboardData.getData("text");
  if (!text.trim()) return;
  event.preventDefault();
  form.elements.text.value = text;
  if (text.trim().includes("\n")) form.requestSubmit();
  else form.elements.text.focus();
});
