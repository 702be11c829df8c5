// Lists that are put in order: drag a row by its handle, or press the arrows on it. The form sends the rows as they stand.
const listOf = (el) => el.closest?.("[data-order]");
let dragged = null;

function announce(list) {
  const form = list.closest("form");
  if (form && list.dataset.order === "send") form.requestSubmit();
}

document.addEventListener("dragstart", (event) => {
  const row = event.target.closest?.("[data-order] > li");
  if (!row) return;
  dragged = row;
  row.classList.add("dragged");
  event.dataTransfer.effectAllowed = "move";
  event.dataTransfer.setData("text/plain", row.id);
});
document.addEventListener("dragover", (event) => {
  const over = event.target.closest?.("[data-order] > li");
  if (!dragged || !over || listOf(over) !== listOf(dragged)) return;
  event.preventDefault();
  const box = over.getBoundingClientRect();
  over[event.clientY < box.top + box.height / 2 ? "before" : "after"](dragged);
});
document.addEventListener("drop", (event) => { if (dragged) event.preventDefault(); });
document.addEventListener("dragend", () => {
  if (!dragged) return;
  dragged.classList.remove("dragged");
  const list = listOf(dragged);
  dragged = null;
  announce(list);
});
document.addEventListener("keydown", (event) => {
  const handle = event.target.closest?.("[data-order] .handle");
  if (!handle || !["ArrowUp", "ArrowDown"].includes(event.key)) return;
  event.preventDefault();
  event.stopPropagation();
  const row = handle.closest("li");
  const other = event.key === "ArrowUp" ? row.previousElementSibling : row.nextElementSibling;
  if (!other) return;
  other[event.key === "ArrowUp" ? "before" : "after"](row);
  handle.focus();
  row.parentElement.dataset.changed = "yes";
}, true);
// A moved row is sent once the handle is left, so that several steps are one change.
document.addEventListener("focusout", (event) => {
  const list = event.target.matches?.("[data-order] .handle") ? listOf(event.target) : null;
  if (list?.dataset.changed && !list.contains(event.relatedTarget)) { delete list.dataset.changed; announce(list); }
});
