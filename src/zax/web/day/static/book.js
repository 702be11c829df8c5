// On the Book arrows move between visits and free times by where they stand, and a click in a free time means the minute under it.
const center = (el) => {
  const box = el.getBoundingClientRect();
  return { x: box.left + box.width / 2, y: box.top + Math.min(box.height / 2, 14) };
};

function nearest(from, cells, direction) {
  const at = center(from);
  let best = null;
  let least = Infinity;
  for (const cell of cells) {
    if (cell === from) continue;
    const to = center(cell);
    const dx = to.x - at.x;
    const dy = to.y - at.y;
    const ahead = { ArrowDown: dy, ArrowUp: -dy, ArrowRight: dx, ArrowLeft: -dx }[direction];
    const aside = direction === "ArrowDown" || direction === "ArrowUp" ? Math.abs(dx) : Math.abs(dy);
    if (ahead <= 2) continue;
    const cost = ahead + aside * 3;
    if (cost < least) { least = cost; best = cell; }
  }
  return best;
}

document.addEventListener("keydown", (event) => {
  if (event.defaultPrevented || !event.key.startsWith("Arrow") || event.ctrlKey || event.altKey) return;
  if (document.activeElement.matches("input, select, textarea")) return;
  const cells = [...document.querySelectorAll("#grid [data-cell]")];
  if (!cells.length) return;
  event.preventDefault();
  const now = document.querySelector(".nowy");
  const start = cells.includes(document.activeElement) ? document.activeElement : null;
  if (start) { nearest(start, cells, event.key)?.focus(); return; }
  const y = now ? now.getBoundingClientRect().top : 0;
  (cells.find((cell) => cell.getBoundingClientRect().bottom > y) ?? cells[0]).focus();
});

document.addEventListener("click", (event) => {
  const gap = event.target.closest?.(".gap");
  if (!gap || event.detail === 0) return;
  const grid = document.getElementById("grid");
  const step = Number(grid.dataset.grid);
  const box = gap.getBoundingClientRect();
  const minutes = Number(getComputedStyle(gap).getPropertyValue("--for"));
  const start = Number(gap.dataset.at);
  const inside = ((event.clientY - box.top) / box.height) * minutes;
  const at = start + (inside < 15 ? 0 : Math.floor(inside / 15) * 15);
  const url = new URL(gap.href);
  const rounded = Math.ceil(at / step) * step;
  url.searchParams.set("at", `${String(Math.floor(rounded / 60)).padStart(2, "0")}:${String(rounded % 60).padStart(2, "0")}`);
  gap.href = url.pathname + url.search;
}, true);

// A staff slot stands in two columns: pointing at either, or at its visit, shows both and the line between them.
function untie() {
  for (const each of document.querySelectorAll("#grid .tied")) each.classList.remove("tied");
  for (const line of document.querySelectorAll("#grid .tie")) line.remove();
}

function tie(visit) {
  const straps = [...document.querySelectorAll(`#grid [data-tie="${visit}"]`)];
  const frame = document.getElementById("grid").getBoundingClientRect();
  const heights = Map.groupBy(straps, (each) => Math.round(each.getBoundingClientRect().top));
  for (const each of straps) each.classList.add("tied");
  for (const pair of heights.values()) {
    if (pair.length < 2) continue;
    const boxes = pair.map((each) => each.getBoundingClientRect()).sort((a, b) => a.left - b.left);
    const line = Object.assign(document.createElement("div"), { className: "tie" });
    line.style.top = `${boxes[0].top - frame.top + boxes[0].height / 2}px`;
    line.style.left = `${boxes[0].right - frame.left}px`;
    line.style.width = `${Math.max(0, boxes[1].left - boxes[0].right)}px`;
    document.getElementById("grid").append(line);
  }
}

for (const kind of ["mouseover", "focusin"]) {
  document.addEventListener(kind, (event) => {
    if (!document.getElementById("grid")) return;
    untie();
    const visit = event.target.closest?.("#grid .strap")?.dataset.tie ?? event.target.closest?.("#grid .v[data-id]")?.dataset.id;
    if (visit) tie(visit);
  });
}
