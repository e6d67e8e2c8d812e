// Choosing a file: by the button, or by dropping it.

const drop = document.querySelector("[data-file-drop]");
if (drop) {
  const input = drop.querySelector("input");
  const chosen = drop.querySelector("[data-chosen]");
  const show = () => {
    chosen.textContent = input.files.length ? `Chosen: ${input.files[0].name}` : "";
  };
  input.addEventListener("change", show);
  drop.addEventListener("dragover", (event) => {
    event.preventDefault();
    drop.classList.add("over");
  });
  drop.addEventListener("dragleave", () => drop.classList.remove("over"));
  drop.addEventListener("drop", (event) => {
    event.preventDefault();
    drop.classList.remove("over");
    if (event.dataTransfer.files.length) {
      input.files = event.dataTransfer.files;
      show();
    }
  });
}
