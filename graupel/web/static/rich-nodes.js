// What a rich text may hold beside paragraphs, lists and tables: where lines stand, the colour of words, and what is
// embedded. Kept as classes and elements that core/richtext.py lets through.
import { element } from "./shared.js";
import { Extension, Mark, Node } from "./vendor/rich-text.js";

/** Where lines stand; as kept, "" being where they stand anyway. */
export const ALIGNED = [
  ["", "Left"],
  ["centre", "Centred"],
  ["right", "Right"],
];
/** The colours of words, as core/colours.py has them. */
export const COLOURS = [
  ["", "Ink"],
  ["pine", "Pine"],
  ["frost", "Frost"],
  ["heather", "Heather"],
  ["rowan", "Rowan"],
  ["peat", "Peat"],
  ["straw", "Straw"],
  ["muted", "Muted"],
];
const named = (list, text) => (list.some(([name]) => name && name === text) ? text : null);
const classOf = (node, list, before) =>
  list.map(([name]) => name).find((name) => name && node.classList.contains(before + name)) ?? null;
const FROM_STYLE = { center: "centre", right: "right", end: "right" };

export const Aligned = Extension.create({
  name: "aligned",
  addGlobalAttributes: () => [
    {
      types: ["paragraph", "heading"],
      attributes: {
        aligned: {
          default: null,
          parseHTML: (node) => classOf(node, ALIGNED, "to-") ?? FROM_STYLE[node.style.textAlign || node.align] ?? null,
          renderHTML: ({ aligned }) => (aligned ? { class: `to-${aligned}` } : {}),
        },
      },
    },
  ],
});

export const Coloured = Mark.create({
  name: "coloured",
  addAttributes: () => ({
    colour: {
      default: null,
      parseHTML: (node) => classOf(node, COLOURS, "in-"),
      renderHTML: ({ colour }) => ({ class: `in-${named(COLOURS, colour)}` }),
    },
  }),
  parseHTML: () => [{ tag: "span", getAttrs: (node) => (classOf(node, COLOURS, "in-") ? {} : false) }],
  renderHTML: ({ HTMLAttributes }) => ["span", HTMLAttributes, 0],
});

/** Something from elsewhere. While it is written a box stands for it: nothing is fetched from there. */
export const Embedded = Node.create({
  name: "embedded",
  group: "block",
  atom: true,
  draggable: true,
  addAttributes: () => ({ src: { default: "" }, title: { default: "" } }),
  parseHTML: () => [{ tag: "iframe[src]" }],
  renderHTML: ({ HTMLAttributes }) => ["iframe", HTMLAttributes],
  addNodeView:
    () =>
    ({ node }) => ({
      dom: element(
        "div",
        { className: "embedded", contentEditable: "false" },
        element("b", { textContent: node.attrs.title || "Embedded" }),
        element("span", { className: "muted", textContent: node.attrs.src }),
      ),
    }),
});
