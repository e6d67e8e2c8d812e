// What is pasted from elsewhere: what its looks say is said by elements, as core/styles.py does for files, and pictures
// that stand elsewhere are left out, which is said.
import { counted, say } from "./shared.js";

const LEVELS = { H1: "h2", H5: "h4", H6: "h4" };
const HEADINGS = ["H1", "H2", "H3", "H4", "H5", "H6"];
const ALIGNED = { center: "to-centre", right: "to-right", end: "to-right" };

/** What a style says, from its text: the policy of our pages lets no styles be applied, and so none be asked. */
function looksOf(text) {
  const pairs = text.split(";").map((part) => part.split(":").map((one) => one.trim().toLowerCase()));
  return Object.fromEntries(pairs.filter((pair) => pair.length === 2));
}
function saidBy(node, looks) {
  const weight = looks["font-weight"] ?? "";
  const lines = `${looks["text-decoration"] ?? ""} ${looks["text-decoration-line"] ?? ""}`;
  const said = [];
  if ((weight.startsWith("bold") || Number(weight) >= 600) && !HEADINGS.includes(node.tagName)) said.push("strong");
  if (/italic|oblique/.test(looks["font-style"] ?? "")) said.push("em");
  if (lines.includes("underline") && node.tagName !== "A") said.push("u");
  if (lines.includes("line-through")) said.push("s");
  return said;
}
function inElements(node) {
  const looks = looksOf(node.dataset.style);
  node.removeAttribute("data-style");
  const isBlock = /^(P|H\d)$/.test(node.tagName);
  if (isBlock && ALIGNED[looks["text-align"]]) node.className = ALIGNED[looks["text-align"]];
  if (!isBlock && !["SPAN", "A", "B", "STRONG", "I", "EM", "FONT"].includes(node.tagName)) return;
  for (const name of saidBy(node, looks)) {
    const around = node.ownerDocument.createElement(name);
    around.append(...node.childNodes);
    node.append(around);
  }
  const isNone = {
    B: looks["font-weight"],
    STRONG: looks["font-weight"],
    I: looks["font-style"],
    EM: looks["font-style"],
  };
  if (["normal", "400"].includes(isNone[node.tagName])) node.replaceWith(...node.childNodes);
}
function renamed(node, name) {
  const other = node.ownerDocument.createElement(name);
  other.append(...node.childNodes);
  node.replaceWith(other);
}
function withoutOutside(body) {
  const own = (image) => /^\/media\/[0-9a-zA-Z_./-]+$/.test(image.getAttribute("src") ?? "");
  const outside = [...body.querySelectorAll("img")].filter((image) => !own(image));
  for (const image of outside) image.remove();
  if (!outside.length) return;
  const were = outside.length === 1 ? "was" : "were";
  say(
    `${counted(outside.length, "picture")} from elsewhere ${were} left out: take what is yours into the library, ` +
      "then put it here with Picture.",
  );
}

/** Pasted HTML as a rich text takes it. */
export function fromElsewhere(html) {
  const set = html.replace(/(<[^>]*?\s)style\s*=/gi, "$1data-style=");
  const { body } = new DOMParser().parseFromString(set, "text/html");
  for (const node of body.querySelectorAll("[data-style]")) inElements(node);
  for (const node of body.querySelectorAll("h1, h5, h6")) renamed(node, LEVELS[node.tagName]);
  withoutOutside(body);
  return body.innerHTML;
}
