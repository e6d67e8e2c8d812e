export { default as Sortable } from "sortablejs/modular/sortable.esm.js";
