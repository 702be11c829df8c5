// One dispatcher for the whole map of keys (web/shell/keys.py). An element says which key presses it by data-key; a screen by data-go, its letter
// after G. Digits choose: a numbered row, or one of the choices of which one has the focus.
import { arrive, remember } from "./focus.js";

const GOES = "g";
const PATIENCE = 4000; // ms in which the letter of a screen may follow
const typing = (el) => el && (el.matches("input:not([type=radio]):not([type=checkbox]), textarea, select") || el.isContentEditable);
export const visible = (el) => el.getClientRects().length > 0;
let going = null;

function nameOf(event) {
  if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) return "Control+Enter";
  if (event.ctrlKey || event.metaKey || event.altKey) return null;
  return event.key.length === 1 ? event.key.toLowerCase() : event.key;
}

// The row that has the focus answers first, then the topmost layer (a sheet or form), then the page, then the frame.
function find(name) {
  const every = [...document.querySelectorAll("[data-key]")].filter((el) => el.dataset.key === name && visible(el) && !el.disabled);
  const row = document.activeElement?.closest("[data-row]");
  const here = row && every.find((el) => row.contains(el));
  if (here) return here;
  const all = every.filter((el) => !el.hasAttribute("data-in-row"));
  const layers = [...document.querySelectorAll("[data-layer]")].filter(visible).reverse();
  for (const layer of layers) {
    const inside = all.filter((el) => layer.contains(el));
    if (inside.length) return name === "Escape" ? inside.at(-1) : inside[0]; // what was opened last is closed first
  }
  return all.find((el) => el.closest("main")) ?? all[0];
}

export function press(el) {
  remember();
  if (el.matches("input:not([type=radio]):not([type=checkbox]), select, textarea")) {
    delete el.dataset.offered;
    el.focus();
    el.select?.();
  } else if (el.dataset.arrives) {
    arrive(document.getElementById(el.dataset.arrives), el);
  } else if (el.matches("[data-back]") && history.length > 1) {
    history.back();
  } else {
    el.click();
    if (el.tagName === "SUMMARY" && el.parentElement.open) arrive(el.parentElement, el);
    else if (el.matches("input")) el.focus();
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

function stopGoing() {
  clearTimeout(going);
  going = null;
  document.body.classList.remove("going");
}

function startGoing() {
  document.body.classList.add("going");
  going = setTimeout(stopGoing, PATIENCE);
}

// One of several choices by its number.
function choose(at, number) {
  const named = at.form ? [...at.form.elements].filter((el) => el.type === at.type && (at.type === "checkbox" || el.name === at.name)) : [];
  const group = at.closest("fieldset");
  const choice = named.filter((el) => visible(el) && (!group || group.contains(el)))[number - 1];
  if (!choice) return false;
  choice.focus();
  choice.click();
  return true;
}

document.addEventListener("keydown", (event) => {
  if (event.defaultPrevented) return;
  const name = nameOf(event);
  if (!name || name === "Shift") return;
  const at = document.activeElement;
  const inField = typing(at);
  if (going !== null) {
    stopGoing();
    const screen = [...document.querySelectorAll("[data-go]")].find((el) => el.dataset.go === name);
    event.preventDefault();
    if (screen) screen.click();
    return;
  }
  if (inField && name === "Escape") {
    at.blur();
    return;
  }
  const digit = /^[0-9]$/.test(name);
  // An amount that the page put forward itself does not swallow the number of a choice, and no amount swallows a letter.
  const notItsOwn = (digit && "offered" in at.dataset) || (/^[a-z]$/.test(name) && at.inputMode === "decimal");
  if (inField && name !== "Control+Enter" && !(notItsOwn && find(name))) return;
  if (name === GOES) { event.preventDefault(); startGoing(); return; }
  if (digit && at.matches("input[type=radio], input[type=checkbox]") && !at.dataset.key && choose(at, Number(name))) { event.preventDefault(); return; }
  if ((name === "ArrowDown" || name === "ArrowUp") && !at.matches("input[type=radio]") && moveInRows(name === "ArrowDown" ? 1 : -1)) {
    event.preventDefault();
    return;
  }
  if (name === "Enter" && at === document.body) {
    const first = document.querySelector("[data-act].go");
    if (first) { event.preventDefault(); first.click(); }
    return;
  }
  const el = find(name);
  if (!el) return;
  event.preventDefault();
  press(el);
});
