// A choice while it is made: what a buyer will see stands beside it, and other kinds have other fields.
function fitKind() {
  const form = document.getElementById("choice-form");
  const kind = form.elements.kind.value;
  const looks = kind === "one" ? form.elements.looks.value : "";
  for (const part of form.querySelectorAll("[data-kinds]")) {
    part.hidden = !part.dataset.kinds.split(" ").includes(kind);
  }
  for (const part of form.querySelectorAll("[data-as]")) part.hidden = part.dataset.as !== looks;
}

document.addEventListener("change", (event) => {
  if (!event.target.matches?.("[data-kind]")) return;
  fitKind();
  document.getElementById("tried").replaceChildren(); // what was answered to another kind means nothing now
});
for (const kind of ["input", "change"])
  document.addEventListener(kind, (event) => {
    const tried = document.getElementById("tried");
    if (tried && event.target.closest?.("#choice-form")) htmx.trigger(tried, "look");
  });
