// How long a text is, beside what is wanted.
import { counted, element, whenShown } from "./shared.js";

function countOf(field) {
  if (field.hasAttribute("data-lines")) return field.value.split("\n").filter((line) => line.trim()).length;
  const rich = field.closest("[data-rich-text]");
  return (rich?.querySelector("[role=textbox]") ? rich.querySelector("[role=textbox]").textContent : field.value).trim()
    .length;
}
function showLength(field) {
  const help = document.getElementById(`help-${field.name}`);
  if (!help) return;
  const place = help.querySelector(".length") || help.appendChild(element("span", { className: "length" }));
  const count = countOf(field);
  const [least, most] = [Number(field.dataset.least), Number(field.dataset.most)];
  const what = field.hasAttribute("data-lines") ? "point" : "character";
  const [short, long] = [count > 0 && count < least, count > most];
  const advice = short ? `, ${least} or more read better` : long ? `, up to ${most} read better` : "";
  place.textContent = count ? counted(count, what) + advice : `${least} to ${most} ${what}s read best`;
  place.classList.toggle("off", short || long);
}
document.addEventListener("input", (event) => {
  if (event.target.matches("[data-least]")) showLength(event.target);
});
function lengths() {
  document.querySelectorAll("[data-least]").forEach(showLength);
}
whenShown(lengths);
