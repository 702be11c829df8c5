// The search over the setup's subjects: what is not called so is hidden, Enter opens the first that is left.
const rowsOf = (box) => [...document.querySelectorAll(`${box.dataset.narrows} li[data-words]`)];

document.addEventListener("input", (event) => {
  const box = event.target;
  if (!box.matches?.("[data-narrows]")) return;
  const wanted = box.value.toLowerCase().split(/\s+/).filter(Boolean);
  const rows = rowsOf(box);
  for (const row of rows) {
    const words = row.dataset.words.split(/[\s,]+/);
    row.hidden = !wanted.every((each) => words.some((word) => word.startsWith(each)));
  }
  for (const group of document.querySelectorAll(`${box.dataset.narrows} section`)) group.hidden = !group.querySelector("li:not([hidden])");
  document.querySelector(`${box.dataset.narrows} > .none`).hidden = rows.some((row) => !row.hidden);
});

document.addEventListener("keydown", (event) => {
  if (event.key !== "Enter" || !event.target.matches?.("[data-narrows]")) return;
  event.preventDefault();
  rowsOf(event.target).find((row) => !row.hidden)?.querySelector("a").click();
});
