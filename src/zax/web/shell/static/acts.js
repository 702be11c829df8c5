// What can be done on this page, by its words: in the box that finds patients and screens, and as the page's own part of the map of keys.
import { press, visible } from "./keys.js";
import { remember } from "./focus.js";

const MOST = 7;
const CAPS = { Escape: "Esc", "Control+Enter": "Ctrl ↵", ArrowUp: "↑", ArrowDown: "↓" };
const DOES = "[data-does], [data-key], a.button, button, summary";

function words(el) {
  if (el.dataset.does) return [el.dataset.does, el.dataset.does];
  const copy = el.cloneNode(true);
  for (const each of copy.querySelectorAll("kbd, .hide, [hidden], svg")) each.remove();
  const own = copy.textContent.replace(/\s+/g, " ").trim();
  const label = own || el.getAttribute("aria-label") || el.getAttribute("placeholder") || el.title || "";
  const row = el.closest("[data-row]")?.querySelector("b, td")?.textContent.trim();
  return [label, row && row.length < 40 && !label.includes(row) ? `${label}, ${row}` : label];
}

const capOf = (el) => {
  const key = el.dataset.key ?? "";
  return CAPS[key] ?? key.toUpperCase();
};

// Every act of the page and of what lies over it, each once, those with a key of their own first.
function acts() {
  const here = [...document.querySelectorAll("main, #over")];
  const all = here.flatMap((part) => [...part.querySelectorAll(DOES)]).filter((el) => el.dataset.does || visible(el));
  const found = new Map();
  for (const el of all) {
    const [own, said] = words(el);
    if (said.length < 3 || el.disabled || el.closest(".hits, .cal")) continue;
    if (!found.has(said) || (capOf(el) && !found.get(said).cap)) found.set(said, { own, said, el, cap: capOf(el) });
  }
  return [...found.values()].sort((a, b) => Boolean(b.cap) - Boolean(a.cap));
}

// Every typed word begins a word of what is said, and one of them says what is done: a name alone means the person.
function matches(typed) {
  const wanted = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (!wanted.length) return [];
  const begins = (text, word) => text.toLowerCase().split(/[^\p{L}\p{N}$.]+/u).some((part) => part.startsWith(word));
  return acts().filter(({ own, said }) => wanted.every((word) => begins(said, word)) && wanted.some((word) => begins(own, word))).slice(0, MOST);
}

function line(tag, className, text) {
  return Object.assign(document.createElement(tag), { className, textContent: text });
}

function offer(list, typed) {
  list.querySelectorAll("[data-act-row]").forEach((each) => each.remove());
  const found = matches(typed);
  if (!found.length) return;
  const rows = found.map(({ said, el, cap }) => {
    const row = line("a", "hitrow does", "");
    row.href = "#";
    row.dataset.actRow = "";
    row.setAttribute("role", "option");
    row.setAttribute("aria-selected", "false");
    row.append(line("b", "", said));
    if (cap) row.append(line("kbd", "", cap));
    row.addEventListener("click", (event) => {
      event.preventDefault();
      event.stopPropagation();
      const box = document.getElementById("find");
      list.replaceChildren();
      box.setAttribute("aria-expanded", "false");
      box.value = "";
      box.blur();
      if (el.isConnected) press(el);
    });
    return row;
  });
  const head = line("p", "group", "On this page");
  head.dataset.actRow = "";
  list.prepend(head, ...rows);
  list.querySelector(".none")?.remove();
}

document.addEventListener("htmx:afterSwap", (event) => {
  if (event.target.id === "found") offer(event.target, document.getElementById("find").value);
}, true);

// The sheet of keys lies over the page and shows the page's own first; without script it is a page of its own.
async function showKeys() {
  remember();
  const over = Object.assign(document.createElement("div"), { className: "keysover", id: "keysover" });
  over.dataset.layer = "";
  over.setAttribute("role", "dialog");
  over.setAttribute("aria-label", "Shortcuts");
  const own = acts().filter(({ cap, el }) => cap && visible(el));
  const list = document.createElement("dl");
  for (const { said, cap } of own) {
    const row = document.createElement("div");
    const term = document.createElement("dt");
    term.append(line("kbd", "", cap));
    row.append(term, line("dd", "", said));
    list.append(row);
  }
  const close = Object.assign(line("button", "button", "Close "), { type: "button" });
  close.dataset.key = "Escape";
  close.append(line("kbd", "", "Esc"));
  close.addEventListener("click", () => over.remove());
  const head = line("div", "daybar", "");
  head.append(line("h2", "", "Shortcuts on this page"), close);
  over.append(head, own.length ? list : line("p", "none", "This page has no keys of its own."));
  document.body.append(over);
  close.focus();
  const answer = await fetch("/keys").then((got) => got.text()).catch(() => "");
  const rest = new DOMParser().parseFromString(answer, "text/html").querySelector(".keygroups");
  if (rest && over.isConnected) over.append(line("h2", "", "Everywhere"), document.adoptNode(rest));
}

document.addEventListener("click", (event) => {
  const opens = event.target.closest?.("a.keys");
  if (!opens || event.ctrlKey || event.metaKey) return;
  event.preventDefault();
  event.stopImmediatePropagation();
  const shown = document.getElementById("keysover");
  if (shown) shown.remove();
  else showKeys();
}, true);
