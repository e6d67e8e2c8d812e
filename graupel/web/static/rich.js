// Rich text: a field with tools, which keeps what it shows in its textarea.
import { pickPicture } from "./media.js";
import { ALIGNED, Aligned, COLOURS, Coloured, Embedded } from "./rich-nodes.js";
import { fromElsewhere } from "./rich-paste.js";
import { button, changed, element, say } from "./shared.js";
import { Editor, Image, StarterKit, TableKit } from "./vendor/rich-text.js";

/** The tools of a rich text. */
const TOOLS = [
  ["B", "Bold", (c) => c.toggleBold(), "bold"],
  ["I", "Italic", (c) => c.toggleItalic(), "italic"],
  ["H2", "H2, heading", (c) => c.toggleHeading({ level: 2 }), "heading", { level: 2 }],
  ["H3", "H3, smaller heading", (c) => c.toggleHeading({ level: 3 }), "heading", { level: 3 }],
  ["•", "List", (c) => c.toggleBulletList(), "bulletList"],
  ["1.", "1. numbered list", (c) => c.toggleOrderedList(), "orderedList"],
  ["“ ”", "Quotation", (c) => c.toggleBlockquote(), "blockquote"],
  ["Link", "Link", (c, editor) => link(c, editor), "link"],
  [
    "Table",
    "Table of 3 by 3",
    (c, editor) =>
      editor.isActive("table") ? c.deleteTable() : c.insertTable({ rows: 3, cols: 3, withHeaderRow: true }),
    "table",
  ],
  ["―", "Rule", (c) => c.setHorizontalRule(), ""],
  ["Picture", "Picture from the library", (c, editor) => picture(c, editor), "image"],
];
const EMBED = ["Embed", "Embed a film, a map and the like", (c, editor) => embed(c, editor), "embedded"];
/** What there is to do in a table only, so that the tools fit into one line elsewhere. */
const OF_TABLE = [
  ["+ row", "Row of the table below", (c) => c.addRowAfter(), ""],
  ["+ column", "Column of the table after", (c) => c.addColumnAfter(), ""],
  ["− row", "Take out this row of the table", (c) => c.deleteRow(), ""],
  ["− column", "Take out this column of the table", (c) => c.deleteColumn(), ""],
];

/** Where a link leads, as core/richtext.py reads it too: "" where what was typed is no address. */
export function linkAddress(typed) {
  const text = typed.trim();
  if (/^((https?:\/\/|mailto:)\S+|(\/(?![/\\])|#)\S*)$/i.test(text)) return text;
  if (/^[^\s@/:]+@[^\s@/:]+\.[^\s@/:]+$/.test(text)) return `mailto:${text}`;
  return /^([\p{L}\d_-]+\.)+\p{L}{2,}([/?#]\S*)?$/u.test(text) ? `https://${text}` : "";
}
function link(chain, editor) {
  if (editor.isActive("link")) return chain.unsetLink();
  const typed = window.prompt("Address of the link: example.com/care, or a page of this shop such as /shop", "");
  if (!typed?.trim()) return chain;
  const href = linkAddress(typed);
  if (!href) say(`“${typed}” is no address. Write one such as https://example.com, or a path such as /shop/p/12.`);
  return href ? chain.setLink({ href }) : chain;
}

function picture(chain, editor) {
  pickPicture(({ name, face }) => {
    const alt = window.prompt("What is to be seen in the picture, for those who can’t see it:", "");
    if (alt === null) return;
    const src = face.replace(/\/card(?=\/|$)/, "/page");
    const at = editor.state.selection.to; // beside what is selected, not in its place
    editor.chain().focus(at).setImage({ src, alt: alt.trim(), title: null }).run();
    if (!alt.trim()) say(`${name} stands in the text without an alt text: it says nothing to those who can’t see it.`);
  });
  return chain;
}
function embed(chain, editor) {
  const hosts = editor.options.element.closest("[data-rich-text]").dataset.embeds.split(" ");
  const typed = window.prompt(`Address of what to embed, from ${hosts.join(" or ")}:`, "https://");
  if (!typed?.trim()) return chain;
  const address = URL.canParse(typed.trim()) ? new URL(typed.trim()) : null;
  if (address?.protocol !== "https:" || !hosts.includes(address.host)) {
    say(
      `“${typed}” can’t be embedded. The settings allow addresses that begin with https:// and ${hosts.join(" or ")}.`,
    );
    return chain;
  }
  const title = window.prompt("What it is, such as Film: winding a skein:", "") ?? "";
  const attrs = { src: address.href, title: title.trim() };
  return chain.focus(editor.state.selection.to).insertContent([{ type: "embedded", attrs }, { type: "paragraph" }]);
}

export function richText(holder) {
  const area = holder.querySelector("textarea");
  const readOnly = holder.hasAttribute("data-read-only");
  area.hidden = true;
  const frame = element("div", { className: "rich" });
  const tools = element("div", { className: "tools" });
  tools.setAttribute("role", "toolbar");
  tools.setAttribute("aria-label", "Text tools");
  const body = document.createElement("div");
  if (!readOnly) frame.append(tools);
  frame.append(body);
  holder.append(frame);
  const editor = new Editor({
    element: body,
    injectCSS: false,
    editable: !readOnly,
    content: area.value,
    extensions: [
      StarterKit.configure({
        heading: { levels: [2, 3, 4] },
        codeBlock: false,
        code: false,
        link: { openOnClick: false },
      }),
      TableKit,
      Image.configure({ inline: true }),
      Aligned,
      Coloured,
      Embedded,
    ],
    editorProps: {
      transformPastedHTML: fromElsewhere,
      attributes: {
        role: "textbox",
        "aria-multiline": "true",
        "aria-labelledby": "label-description",
        "aria-describedby": "help-description",
        id: "rich-description",
        lang: area.lang,
        ...(readOnly ? { "aria-readonly": "true" } : {}),
      },
    },
    onCreate: ({ editor: made }) => {
      holder.fill = (html) => made.commands.setContent(html, { emitUpdate: true });
    },
    onUpdate: () => {
      area.value = editor.isEmpty ? "" : editor.getHTML();
      changed(area);
    },
    onTransaction: () => mark(),
  });
  document.getElementById("label-description").addEventListener("click", (event) => {
    event.preventDefault();
    editor.commands.focus();
  });
  function toolOf([sign, label, act, name, attributes]) {
    const tool = button(sign, () => act(editor.chain().focus(), editor).run(), "");
    tool.title = label;
    tool.setAttribute("aria-label", label);
    tools.append(tool);
    return [tool, name, attributes];
  }
  function choiceOf(label, list, act, now) {
    const options = list.map(([value, text]) => element("option", { value, textContent: text }));
    const choice = element("select", { title: label }, ...options);
    choice.setAttribute("aria-label", label);
    choice.addEventListener("change", () => act(editor.chain().focus(), choice.value).run());
    tools.append(choice);
    return () => {
      choice.value = now() ?? "";
    };
  }
  const buttons = (holder.dataset.embeds ? [...TOOLS, EMBED] : TOOLS).map(toolOf);
  const choices = [
    choiceOf(
      "Where the lines stand",
      ALIGNED,
      (c, to) =>
        c.updateAttributes("paragraph", { aligned: to || null }).updateAttributes("heading", { aligned: to || null }),
      () => ["paragraph", "heading"].map((name) => editor.getAttributes(name).aligned).find(Boolean),
    ),
    choiceOf(
      "Colour of the words",
      COLOURS,
      (c, colour) => (colour ? c.setMark("coloured", { colour }) : c.unsetMark("coloured")),
      () => editor.getAttributes("coloured").colour,
    ),
  ];
  const ofTable = OF_TABLE.map(toolOf);
  function mark() {
    for (const [tool, name, attributes] of buttons)
      if (name) tool.setAttribute("aria-pressed", editor.isActive(name, attributes));
    for (const show of choices) show();
    for (const [tool] of ofTable) tool.hidden = !editor.isActive("table");
  }
  mark();
}

// --- under a lens: a field goes back to what is inherited, or begins with it ------------------------------
function refill(field, text) {
  const rich = field.closest("[data-rich-text]");
  if (rich) rich.fill(text);
  else {
    field.value = text;
    changed(field);
    field.focus();
  }
}
document.addEventListener("click", (event) => {
  const back = event.target.closest("[data-back]");
  const begin = event.target.closest("[data-begin]");
  if (back) {
    refill(document.getElementById(back.dataset.back), "");
    back.closest(".origin-line").textContent = "Inherited again once it is saved.";
  }
  if (begin) refill(document.getElementById("in-description"), document.getElementById(begin.dataset.begin).innerHTML);
});
