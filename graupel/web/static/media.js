// Files coming in, the library, and choosing from it.
import { signInAgain } from "./session.js";
import { ask, bring, button, changed, element, isSessionOver, token } from "./shared.js";

// --- files coming in: a few at a time, each with its progress -------------------------------------------------
const AT_ONCE = 3;
const queue = [];
const line = []; // what was chosen, in the order in which it was chosen: it comes in in that order
let under = 0;
function takeIn(files, drop) {
  for (const file of files) {
    const bar = element("progress", { value: 0 });
    bar.setAttribute("aria-label", `Uploading ${file.name}`);
    const shown = element("div", { className: "upload" }, file.name, bar);
    drop.querySelector("[data-uploads]").append(shown);
    const one = { file, shown, bar, ended: false, media: null };
    queue.push(one);
    line.push(one);
  }
  next();
}
function next() {
  while (under < AT_ONCE && queue.length) {
    under += 1;
    send(queue.shift());
  }
}
async function send(one) {
  const { status, said } = await upload(one);
  under -= 1;
  one.ended = true;
  if (status === 200 && said) {
    one.shown.remove();
    one.media = said;
  } else refused(one.shown, said?.problem || `“${one.file.name}” could not be uploaded. Try again.`);
  next();
  while (line[0]?.ended) {
    const { media } = line.shift();
    if (media) taken(media);
  }
}
/** Sends one file, with its progress; where the session has ended, once more after signing in. */
function upload({ file, bar }) {
  return new Promise((resolve) => {
    const request = new XMLHttpRequest();
    request.open("POST", "/media");
    request.setRequestHeader("X-CSRF-Token", token());
    request.setRequestHeader("HX-Request", "true");
    request.upload.addEventListener("progress", (event) => {
      if (event.lengthComputable) {
        bar.max = event.total;
        bar.value = event.loaded;
      }
    });
    request.addEventListener("loadend", async () => {
      const over = isSessionOver(request.status, request.getResponseHeader("X-Session"));
      if (over && (await signInAgain())) resolve(upload({ file, bar }));
      else resolve({ status: request.status, said: read(request.responseText) });
    });
    const body = new FormData();
    body.append("file", file);
    request.send(body);
  });
}
function read(text) {
  try {
    return JSON.parse(text);
  } catch {
    return null;
  }
}
function refused(shown, text) {
  const close = button("Close", () => shown.remove());
  const said = element("span", { className: "wrong", textContent: text });
  said.setAttribute("role", "alert");
  shown.classList.add("refused");
  shown.replaceChildren(said, close);
}
function taken(media) {
  document.dispatchEvent(new CustomEvent("media-taken", { detail: media }));
  const library = document.getElementById("library");
  if (library && !line.length) reload(library);
}
// What was refused stays in sight while the list is read anew.
async function reload(library) {
  const kept = [...library.querySelectorAll(".upload.refused")];
  await bring("GET", library.dataset.here, { target: "#library", swap: "outerHTML" });
  document.querySelector("#library [data-uploads]").append(...kept);
}
document.addEventListener("change", (event) => {
  const drop = event.target.closest("[data-drop]");
  if (!drop || event.target.type !== "file") return;
  takeIn([...event.target.files], drop);
  event.target.value = "";
});
for (const kind of ["dragover", "dragleave", "drop"]) {
  document.addEventListener(kind, (event) => {
    const drop = event.target.closest?.("[data-drop]");
    if (!drop || !event.dataTransfer || ![...event.dataTransfer.types].includes("Files")) return;
    event.preventDefault();
    drop.classList.toggle("over", kind === "dragover");
    if (kind === "drop") takeIn([...event.dataTransfer.files], drop);
  });
}
async function addLink(opener) {
  const field = opener.parentElement.querySelector("input");
  const said = await ask("/media/link", { address: field.value });
  if (!said) {
    field.focus();
    return;
  }
  field.value = "";
  taken(said);
}
document.addEventListener("click", (event) => {
  const opener = event.target.closest("[data-add-link]");
  if (opener) addLink(opener);
});
document.addEventListener("keydown", (event) => {
  if (event.key === "Enter" && event.target.id === "link-address") {
    event.preventDefault();
    addLink(event.target.parentElement.querySelector("[data-add-link]"));
  }
});

// --- the library ---------------------------------------------------------------------------------------------
document.addEventListener("click", (event) => {
  if (!event.target.closest("[data-tick-all]")) return;
  document.querySelectorAll("#library [name=chosen]").forEach((box) => {
    box.checked = true;
  });
});

document.addEventListener("click", (event) => {
  const none = event.target.closest("[data-no-picture]");
  if (!none) return;
  const holder = none.closest(".poster-field");
  holder.querySelector("input[type=hidden]").value = "";
  holder.querySelector(".shot").replaceChildren();
  none.hidden = true;
  holder.querySelector("[data-pick-media]").focus();
});

// --- choosing from it ----------------------------------------------------------------------------------------
let picked = null;
function openPicker(picturesOnly, then) {
  picked = then;
  document.getElementById("pick-own").replaceChildren();
  document.getElementById("pick-pictures").value = picturesOnly ? "1" : "";
  document.getElementById("pick-search").value = "";
  document.getElementById("picker").showModal();
  htmx.trigger("#pick-search", "pick-begin");
}
/** A picture of the library, given to ``then`` with its name and face; what belongs to the page stands first. */
export function pickPicture(then) {
  openPicker(true, then);
  const own = document.getElementById("pick-own");
  const first = ({ name, face }) => {
    const shot = element("span", { className: "shot" }, element("img", { src: face, alt: "" }));
    const tile = element("button", { type: "button", className: "media-tile" }, shot);
    tile.append(element("span", { className: "name", textContent: name }));
    Object.assign(tile.dataset, { picked: "0", name, face });
    own.append(element("li", {}, tile));
  };
  document.dispatchEvent(new CustomEvent("picking", { detail: { first } }));
}
document.addEventListener("click", (event) => {
  const opener = event.target.closest("[data-pick-media]");
  const picker = document.getElementById("picker");
  if (opener)
    openPicker(Boolean(opener.dataset.pickMedia), (media) => {
      pick(opener, media);
      opener.focus();
    });
  if (event.target.closest("[data-close-picker]")) picker.close();
  const one = event.target.closest("[data-picked]");
  if (!one) return;
  picker.close();
  picked({ id: one.dataset.picked, name: one.dataset.name, face: one.dataset.face });
});
function pick(opener, media) {
  const holder = opener.closest(".poster-field");
  if (!holder) {
    document.dispatchEvent(new CustomEvent("media-picked", { detail: media }));
    return;
  }
  const field = holder.querySelector("input[type=hidden]");
  field.value = media.id;
  const none = holder.querySelector("[data-no-picture]");
  if (none) none.hidden = false;
  const image = element("img", { src: media.face, alt: `Chosen: ${media.name}` });
  holder.querySelector(".shot").replaceChildren(image);
  changed(field, "change");
}
