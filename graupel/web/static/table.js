// The products table by keyboard: arrows move from row to row, Enter opens. What it shows, copied for a spreadsheet.
import { note, say } from "./shared.js";

function openers() {
  return [...document.querySelectorAll("#goods a.open")];
}

document.addEventListener("keydown", (event) => {
  if (event.key !== "ArrowDown" && event.key !== "ArrowUp") return;
  const links = openers();
  const at = links.indexOf(document.activeElement);
  const fromSearch = document.activeElement && document.activeElement.id === "find";
  const inField = document.activeElement?.matches("input, select, textarea") && !fromSearch;
  if (!links.length || inField) return;
  event.preventDefault();
  if (event.key === "ArrowUp" && at === 0) {
    document.getElementById("find").focus();
    return;
  }
  const next = at < 0 ? 0 : Math.min(links.length - 1, Math.max(0, at + (event.key === "ArrowDown" ? 1 : -1)));
  links[next].focus();
});

/** Puts a text into the clipboard, also where the browser gives it to no script (pages without TLS). */
async function copy(text) {
  if (navigator.clipboard)
    return navigator.clipboard.writeText(text).then(
      () => true,
      () => copyBySelecting(text),
    );
  return copyBySelecting(text);
}
function copyBySelecting(text) {
  const field = document.createElement("textarea");
  field.value = text;
  field.className = "visually-hidden";
  document.body.append(field);
  field.select();
  const done = document.execCommand("copy");
  field.remove();
  return done;
}

document.addEventListener("click", async (event) => {
  const button = event.target.closest?.("[data-copy]");
  if (!button || button.disabled) return;
  button.disabled = true;
  const answer = await fetch(button.dataset.copy, { headers: { Accept: "application/json" } }).catch(() => null);
  button.disabled = false;
  if (!answer?.headers.has("X-Rows")) {
    // also where it leads to the door
    const said = await answer?.json().catch(() => null);
    say(said?.detail ?? "This could not be copied. Load the page anew and try again.");
  } else if (await copy(await answer.text())) {
    const rows = Number(answer.headers.get("X-Rows"));
    const many = rows === 1 ? "1 row" : `${rows.toLocaleString("en")} rows`;
    note(`${many} copied, a variant each. Paste them into a spreadsheet, and back under In and out > Files.`);
  } else say("This browser lets nothing be copied. Take the goods out as a file instead.");
  button.focus();
});
