// The search over the setup's subjects and over the rows of each of its pages: what does not say so is hidden, Enter opens the first that is left.
const SEVERAL = 7;
const ROWS = ["[data-row]", "tbody tr", ".exline", ".exform", "li[draggable]"].map((each) => `main ${each}`).join(", ");

const onPage = (box) => "pagefind" in box.dataset;
const rowsOf = (box) => [...document.querySelectorAll(onPage(box) ? ROWS : `${box.dataset.narrows} li[data-words]`)];

// What a row says: its words, and what stands in its fields.
const said = (row) => {
  if (row.dataset.words) return row.dataset.words;
  const fields = [...row.querySelectorAll("input:not([type=hidden]), select, textarea")];
  return [row.textContent, ...fields.map((each) => each.selectedOptions?.[0]?.text ?? each.value)].join(" ").toLowerCase();
};

const narrow = (box) => {
  const wanted = box.value.toLowerCase().split(/\s+/).filter(Boolean);
  const rows = rowsOf(box);
  for (const row of rows) {
    const words = said(row).split(/[\s,]+/);
    row.hidden = !wanted.every((each) => words.some((word) => word.startsWith(each)));
  }
  const none = rows.every((row) => row.hidden);
  if (onPage(box)) {
    const says = box.closest("label").querySelector("[data-none]");
    says.textContent = none ? says.dataset.none : "";
    return;
  }
  for (const group of document.querySelectorAll(`${box.dataset.narrows} section`)) group.hidden = !group.querySelector("li:not([hidden])");
  document.querySelector(`${box.dataset.narrows} > .none`).hidden = !none;
};

document.addEventListener("input", (event) => {
  if (event.target.matches?.("[data-narrows], [data-pagefind]")) narrow(event.target);
});

document.addEventListener("keydown", (event) => {
  if (event.key !== "Enter" || !event.target.matches?.("[data-narrows], [data-pagefind]")) return;
  event.preventDefault();
  const first = rowsOf(event.target).find((row) => !row.hidden);
  const to = first?.querySelector("a[data-act], a, input:not([type=hidden]), select");
  if (to?.matches("a")) to.click();
  else to?.focus();
});

// A page of a few rows needs no search.
const offer = () => {
  const box = document.querySelector("[data-pagefind]");
  if (box) box.closest("label").hidden = rowsOf(box).length < SEVERAL;
};
document.addEventListener("DOMContentLoaded", offer);
document.addEventListener("htmx:load", offer);
