// The rich-text editor, as a module.
export { Editor, Extension, Mark, Node } from "@tiptap/core";
export { StarterKit } from "@tiptap/starter-kit";
export { TableKit } from "@tiptap/extension-table";
export { Image } from "@tiptap/extension-image";
