// What was typed on other pages and not saved, in this browser.
import { element, moment, whenShown } from "./shared.js";

const person = document.querySelector("meta[name=person]")?.content ?? "";
const MOST = 6;

function typedBefore() {
  const keys = Object.keys(localStorage).filter((key) => key.startsWith(`typed ${person} `));
  const found = keys.map((key) => {
    try {
      return JSON.parse(localStorage.getItem(key));
    } catch {
      return null;
    }
  });
  return found.filter((one) => one?.page && one.fields).sort((a, b) => b.at - a.at);
}
function row({ page, title, fields, at }) {
  const count = Object.keys(fields).length;
  const when = moment(at);
  const said = `${count === 1 ? "one field" : `${count} fields`} typed ${when}, not saved`;
  const text = element("div", {}, element("b", { textContent: title }), element("br"));
  text.append(element("span", { className: "muted small", textContent: said }));
  const go = element("a", { className: "btn small", href: page, textContent: "Go on" });
  go.append(element("span", { className: "visually-hidden", textContent: `: ${title}` }));
  return element("div", { className: "day-row" }, element("span", {}), text, go);
}
whenShown(() => {
  const part = document.querySelector("[data-typed-before]");
  if (!part) return;
  const found = typedBefore();
  part.hidden = !found.length;
  part.querySelector(".day-box").replaceChildren(...found.slice(0, MOST).map(row));
});
