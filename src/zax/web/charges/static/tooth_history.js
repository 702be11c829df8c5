// Earlier work: teeth pressed on the chart go into the typed line, a letter pressed there names the work.
import { neighbor } from "./arch.js";

const line = () => document.querySelector("[data-tooth-line]");
const chart = () => document.getElementById("teeth");
const shown = (svg) => [...svg.querySelectorAll(".arch:not([hidden]) .tooth")];
const isTooth = (svg, token) => svg.querySelector(`.tooth[data-shown="${CSS.escape(token.toUpperCase())}"]`) !== null;

function write(field, words) {
  field.value = words;
  field.dispatchEvent(new Event("input", { bubbles: true }));
}

// The teeth stand first in the line; pressing one again takes it out.
function press(svg, tooth) {
  const field = line();
  const tokens = field.value.split(/\s+/).filter(Boolean);
  const end = tokens.findIndex((token) => !isTooth(svg, token));
  const teeth = tokens.slice(0, end === -1 ? tokens.length : end);
  const rest = end === -1 ? [] : tokens.slice(end);
  const at = teeth.findIndex((token) => token.toUpperCase() === tooth.dataset.shown);
  if (at === -1) teeth.push(tooth.dataset.shown);
  else teeth.splice(at, 1);
  write(field, [...teeth, ...rest].join(" ") + (rest.length ? "" : " "));
}

function name(letter) {
  const field = line();
  write(field, `${field.value.trimEnd()} ${letter} `.trimStart());
  field.focus();
}

function land(svg, tooth) {
  for (const each of svg.querySelectorAll(".tooth")) each.tabIndex = each === tooth ? 0 : -1;
  tooth.focus();
}

// Between adult and baby teeth.
function swap(svg, button) {
  const baby = svg.querySelector("[data-arch=primary]").hasAttribute("hidden");
  for (const arch of svg.querySelectorAll(".arch")) arch.toggleAttribute("hidden", (arch.dataset.arch === "primary") !== baby);
  button.setAttribute("aria-pressed", String(baby));
  button.firstElementChild.textContent = baby ? "Adult teeth" : "Baby teeth";
  land(svg, shown(svg)[0]);
}

document.addEventListener("click", (event) => {
  const svg = chart();
  if (!svg) return;
  const tooth = event.target.closest?.(".tooth");
  const letter = event.target.closest?.("[data-letter]");
  const dentition = event.target.closest?.("[data-dentition]");
  if (dentition) swap(svg, dentition);
  if (tooth) {
    press(svg, tooth);
    land(svg, tooth);
  }
  if (letter) name(letter.dataset.letter);
});

document.addEventListener("keydown", (event) => {
  const svg = chart();
  if (!svg?.contains(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
  const tooth = event.target.closest(".tooth");
  const letter = document.querySelector(`[data-letter="${CSS.escape(event.key.toLowerCase())}"]`);
  if (event.key.startsWith("Arrow")) land(svg, neighbor(shown(svg), tooth, event.key));
  else if (event.key === " ") press(svg, tooth);
  else if (event.key === "Enter") line().focus();
  else if (letter) name(letter.dataset.letter);
  else return;
  event.preventDefault();
  event.stopPropagation();
}, true);

// What the line says lights up on the chart.
document.addEventListener("htmx:afterSwap", (event) => {
  if (event.detail.target?.id !== "toothsays") return;
  const teeth = (event.detail.target.querySelector("[data-teeth]")?.dataset.teeth ?? "").split(" ");
  for (const each of chart()?.querySelectorAll(".tooth") ?? []) each.classList.toggle("chosen", teeth.includes(each.dataset.shown));
});

function start() {
  const svg = chart();
  const first = svg && shown(svg)[0];
  if (first) first.tabIndex = 0;
}
document.addEventListener("htmx:afterSettle", start);
start();
