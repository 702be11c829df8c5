// The picture of the mouth: choosing teeth, surfaces and areas by mouse and keys; what is chosen goes into the form that stands open.
import { neighbor } from "./arch.js";

const target = () => [...document.querySelectorAll("form[data-mouth-form]")].find((form) => form.querySelector("#tooth, #area")) ?? document.querySelector("form[data-mouth-form]");
const fieldOf = (name) => target()?.elements.namedItem(name) ?? null;
const shownTeeth = (svg) => [...svg.querySelectorAll(".arch:not([hidden]) .tooth")];

function put(name, value) {
  const field = fieldOf(name);
  if (field) field.value = value;
}

// The chosen tooth large in the middle, with the surfaces it has.
function enlarge(svg) {
  const chosen = svg.querySelector(".tooth.chosen");
  const large = svg.querySelector(".large");
  large.querySelector(".name").textContent = chosen ? `Tooth ${chosen.dataset.shown}` : "";
  large.querySelector(".kind").textContent = chosen ? chosen.dataset.words : "choose a tooth";
  for (const each of large.querySelectorAll(".surface")) {
    const has = chosen !== null && chosen.dataset.surfaces.includes(each.dataset.surface);
    each.toggleAttribute("hidden", !has);
    if (has && each.dataset.surface === "M") mirror(svg, chosen);
    if (!has) each.setAttribute("aria-pressed", "false");
  }
}

// Toward the middle of the mouth is to the right for teeth drawn on the left, and the other way round.
function mirror(svg, chosen) {
  const left = chosen.dataset.quadrant === "10" || chosen.dataset.quadrant === "40";
  const large = svg.querySelector(".large");
  large.classList.toggle("flipped", left);
  large.classList.toggle("lower", chosen.dataset.quadrant >= "30");
}

function choose(svg, tooth, focus = true) {
  for (const each of svg.querySelectorAll(".tooth.chosen")) {
    each.classList.remove("chosen");
    each.setAttribute("aria-pressed", "false");
    each.tabIndex = -1;
  }
  if (tooth) {
    tooth.classList.add("chosen");
    tooth.setAttribute("aria-pressed", "true");
    tooth.tabIndex = 0;
    if (focus) tooth.focus();
  }
  put("tooth", tooth ? tooth.dataset.shown : "");
  enlarge(svg);
  tell(svg);
}

function toggleSurface(svg, letter) {
  const chosen = svg.querySelector(".tooth.chosen");
  const alias = { O: "I", I: "O", B: "F", F: "B" };
  const real = chosen && !chosen.dataset.surfaces.includes(letter) ? alias[letter] : letter;
  const button = svg.querySelector(`.surface[data-surface="${real}"]:not([hidden])`);
  if (!button) return;
  button.setAttribute("aria-pressed", String(button.getAttribute("aria-pressed") !== "true"));
  const letters = [..."MODIBFL"].filter((each) => svg.querySelector(`.surface[data-surface="${each}"]:not([hidden])`)?.getAttribute("aria-pressed") === "true");
  put("surfaces", letters.join(""));
  tell(svg);
}

function toggleArea(svg, area) {
  const on = area.getAttribute("aria-pressed") !== "true";
  for (const each of svg.querySelectorAll(".area")) each.setAttribute("aria-pressed", String(on && each === area));
  put("area", on ? area.dataset.area : "");
  tell(svg);
}

// What stands chosen, in words under the box where services are added.
function tell(svg) {
  const form = target();
  if (!form?.matches(".adder")) return;
  const parts = [fieldOf("tooth")?.value && `tooth ${fieldOf("tooth").value}`, fieldOf("surfaces")?.value, svg.querySelector(".area[aria-pressed=true]")?.getAttribute("aria-label")];
  let note = form.querySelector(".chosenspot");
  if (!note) {
    note = Object.assign(document.createElement("p"), { className: "chosenspot" });
    note.setAttribute("role", "status");
    form.append(note);
  }
  const words = parts.filter(Boolean).join(" ");
  note.textContent = words ? `The next service takes ${words}.` : "";
}

function step(svg, key) {
  const teeth = shownTeeth(svg);
  choose(svg, neighbor(teeth, svg.querySelector(".arch:not([hidden]) .tooth.chosen"), key));
}

let digits = "";
function typeDigit(svg, digit) {
  const shown = shownTeeth(svg);
  digits = shown.some((t) => t.dataset.shown === digits + digit) ? digits + digit : digit;
  const tooth = shown.find((t) => t.dataset.shown === digits);
  if (tooth) choose(svg, tooth);
}

document.addEventListener("keydown", (event) => {
  const svg = event.target.closest?.("#mouth");
  if (!svg || event.ctrlKey || event.metaKey || event.altKey) return;
  const letter = event.key.toUpperCase();
  if (event.key.startsWith("Arrow")) step(svg, event.key);
  else if (/^[0-9]$/.test(event.key)) typeDigit(svg, event.key);
  else if (event.key.length === 1 && "MODIBFL".includes(letter)) toggleSurface(svg, letter);
  else if (event.key === " " || event.key === "Enter") {
    if (event.target.matches(".area")) toggleArea(svg, event.target);
    else if (event.target.matches(".surface")) toggleSurface(svg, event.target.dataset.surface);
    else if (event.key === "Enter") leave();
  } else return;
  event.preventDefault();
}, true);

// Enter leaves the picture for what comes next: saving the open line, or naming the service.
function leave() {
  const form = target();
  (form?.querySelector("button.go") ?? document.getElementById("what"))?.focus();
}

document.addEventListener("click", (event) => {
  const svg = event.target.closest?.("#mouth");
  if (svg) {
    const tooth = event.target.closest(".tooth");
    const surface = event.target.closest(".surface");
    const area = event.target.closest(".area");
    if (tooth) choose(svg, tooth.classList.contains("chosen") ? null : tooth);
    if (surface) toggleSurface(svg, surface.dataset.surface);
    if (area) toggleArea(svg, area);
    return;
  }
  const arches = event.target.closest?.("[data-arches]");
  if (arches) swap(arches);
});

// The key of the picture goes into it; pressed again, or by mouse, it changes between permanent and primary teeth.
function swap(button) {
  const svg = document.getElementById("mouth");
  const inside = svg.contains(document.activeElement) || document.activeElement === button;
  if (!inside && !svg.querySelector(".tooth.chosen")) {
    choose(svg, shownTeeth(svg)[0]);
    return;
  }
  if (!inside) { svg.querySelector(".tooth.chosen").focus(); return; }
  const primary = svg.querySelector("[data-arch=primary]").hasAttribute("hidden");
  for (const arch of svg.querySelectorAll(".arch")) arch.toggleAttribute("hidden", (arch.dataset.arch === "primary") !== primary);
  button.setAttribute("aria-pressed", String(primary));
  button.firstChild.textContent = primary ? "permanent teeth " : "primary teeth "; // its key stays printed
  choose(svg, shownTeeth(svg)[0]);
}

// Typing a tooth beside the picture shows it there.
document.addEventListener("input", (event) => {
  const svg = document.getElementById("mouth");
  if (!svg || event.target.id !== "tooth") return;
  const typed = event.target.value.trim().toUpperCase();
  const tooth = shownTeeth(svg).find((each) => each.dataset.shown === typed) ?? null;
  const kept = event.target.value;
  choose(svg, tooth, false);
  event.target.value = kept;
});

function start() {
  const svg = document.getElementById("mouth");
  if (!svg || svg.dataset.ready) return;
  svg.dataset.ready = "yes";
  const first = svg.querySelector(".tooth.chosen") ?? shownTeeth(svg)[0];
  first.tabIndex = 0;
  enlarge(svg);
}
document.addEventListener("htmx:afterSettle", start);
document.addEventListener("DOMContentLoaded", start);
if (document.readyState !== "loading") start();
