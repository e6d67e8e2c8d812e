export { default as TomSelect } from "tom-select/dist/esm/tom-select.complete.js";
