// Large files come in pieces, each behind the last; after a break, or when the same file is chosen again, it goes on
// from where it was. When one came whole, the page is told.
import { signInAgain } from "./session.js";
import { button, element, isSessionOver, token } from "./shared.js";

const PIECE = 8_000_000;
const TRIES = 8;

const pause = (seconds) => new Promise((resolve) => setTimeout(resolve, seconds * 1000));

/** By what the server knows the same file again. */
const keyOf = (file) => `${file.name} ${file.size} ${file.lastModified}`;

async function asked(address, given) {
  const headers = { "X-CSRF-Token": token(), "HX-Request": "true" };
  const answer = await fetch(address, { ...given, headers });
  if (isSessionOver(answer.status, answer.headers.get("X-Session"))) {
    if (await signInAgain()) return asked(address, given);
    throw new Error("Sign in again.");
  }
  const said = await answer.json().catch(() => null);
  if (!answer.ok) throw Object.assign(new Error(said?.detail ?? ""), { final: answer.status < 500 });
  return said;
}

async function send(file, bar) {
  const upload = encodeURIComponent(keyOf(file));
  let there = 0;
  for (let tries = 0; ; tries += 1) {
    try {
      ({ there } = await asked(`/pieces?upload=${upload}`));
      while (there < file.size) {
        bar.value = there / file.size;
        const body = file.slice(there, there + PIECE);
        ({ there } = await asked(`/pieces?upload=${upload}&offset=${there}`, { method: "POST", body }));
      }
      bar.value = 1;
      return;
    } catch (fault) {
      if (fault.final || tries === TRIES) throw fault;
      await pause(Math.min(2 ** tries, 20)); // the network is gone for a moment: nothing that came is lost
    }
  }
}

function refused(shown, text) {
  const said = element("span", { className: "wrong", textContent: text });
  said.setAttribute("role", "alert");
  shown.replaceChildren(
    said,
    button("Close", () => shown.remove()),
  );
}

async function takeIn(place, file) {
  const bar = element("progress", { max: 1, value: 0 });
  bar.setAttribute("aria-label", `Uploading ${file.name}`);
  const shown = element("div", { className: "upload" }, file.name, bar);
  place.querySelector("[data-coming]").append(shown);
  if (!file.size) return refused(shown, `“${file.name}” is empty.`);
  try {
    await send(file, bar);
  } catch (fault) {
    return refused(
      shown,
      `“${file.name}” did not come whole. Choose it again: it goes on from where it was. ${fault.message}`,
    );
  }
  const values = { upload: keyOf(file), file_name: file.name };
  if (place.dataset.product) values.product = place.dataset.product;
  const target = document.querySelector(place.dataset.target);
  await htmx.ajax("POST", place.dataset.pieces, { values, target, swap: "outerHTML", source: place });
}

document.addEventListener("change", async (event) => {
  const place = event.target.closest?.("[data-pieces]");
  if (!place || event.target.type !== "file") return;
  const { product, target } = place.dataset;
  for (const file of [...event.target.files]) {
    // What came before may have put the part in anew.
    const now = document.querySelector(`${target} [data-pieces]`) ?? place;
    if (now.dataset.product === product) await takeIn(now, file);
  }
});
