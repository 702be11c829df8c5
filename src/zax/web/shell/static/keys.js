// One dispatcher for the whole map of keys. An element says which key presses it by data-key; the map itself is web/keys.py.
const typing = (el) => el && (el.matches("input:not([type=radio]):not([type=checkbox]), textarea, select") || el.isContentEditable);
const visible = (el) => el.getClientRects().length > 0;

function nameOf(event) {
  if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) return "Control+Enter";
  if (event.ctrlKey || event.metaKey || event.altKey) return null;
  return event.key.length === 1 ? event.key.toLowerCase() : event.key;
}

// The row that has the focus answers first, then the topmost layer (a sheet or form), then the page, then the frame.
function find(name) {
  const every = [...document.querySelectorAll("[data-key]")].filter((el) => el.dataset.key === name && visible(el));
  const row = document.activeElement?.closest("[data-row]");
  const here = row && every.find((el) => row.contains(el));
  if (here) return here;
  const all = every.filter((el) => !el.hasAttribute("data-in-row"));
  const layers = [...document.querySelectorAll("[data-layer]")].filter(visible).reverse();
  for (const layer of layers) {
    const inside = all.find((el) => layer.contains(el));
    if (inside) return inside;
  }
  return all[0];
}

function press(el) {
  if (el.matches("input:not([type=radio]):not([type=checkbox]), select, textarea")) {
    el.focus();
    el.select?.();
  } else if (el.matches("[data-back]") && history.length > 1) {
    history.back();
  } else {
    el.click();
    if (el.tagName === "SUMMARY") el.parentElement.querySelector("input")?.focus();
  }
}

// Arrow up and down go through the rows' buttons, on Day and in every list.
function moveInRows(step) {
  const acts = [...document.querySelectorAll("[data-act]")].filter(visible);
  if (!acts.length || document.querySelector("[data-cell]")) return false;
  const at = acts.indexOf(document.activeElement);
  acts[at === -1 ? 0 : Math.min(acts.length - 1, Math.max(0, at + step))].focus();
  return true;
}

document.addEventListener("keydown", (event) => {
  if (event.defaultPrevented) return;
  const name = nameOf(event);
  if (!name) return;
  const inField = typing(document.activeElement);
  if (inField && name === "Escape") {
    document.activeElement.blur();
    return;
  }
  if (inField && name !== "Control+Enter") return;
  if ((name === "ArrowDown" || name === "ArrowUp") && moveInRows(name === "ArrowDown" ? 1 : -1)) {
    event.preventDefault();
    return;
  }
  if (name === "Enter" && document.activeElement === document.body) {
    const first = document.querySelector("[data-act].go");
    if (first) { event.preventDefault(); first.click(); }
    return;
  }
  const el = find(name);
  if (!el) return;
  event.preventDefault();
  press(el);
});
