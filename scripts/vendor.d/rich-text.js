// The one file that is bundled: the rich-text editor as a plain script.
export { Editor } from "@tiptap/core";
export { StarterKit } from "@tiptap/starter-kit";
export { TableKit } from "@tiptap/extension-table";
export { Image } from "@tiptap/extension-image";
