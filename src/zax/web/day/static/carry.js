// A visit in hand on the Book: by keys (arrows move it, Enter puts it down) or dragged. The server says beforehand which columns can take it
// and at which minutes, so a collision shows while it moves; what happens in the end the server decides.
const grid = () => document.getElementById("grid");
// The clinic's own style of writing times, as on the rest of the page.
const hours12 = () => document.documentElement.dataset.clock !== "24";
const clock = (minute) => {
  const [hour, past] = [Math.floor(minute / 60), String(minute % 60).padStart(2, "0")];
  return hours12() ? `${hour % 12 || 12}:${past} ${hour % 24 < 12 ? "am" : "pm"}` : `${hour}:${past}`;
};
const typing = (el) => el?.matches?.("input, select, textarea");
let hand = null; // {id, minutes, step, columns, column, minute, ghost}

const columns = () => [...document.querySelectorAll("#grid .column")];

async function hintsFor(id) {
  const answer = await fetch(`/book/carry/${id}${location.search}`, { headers: { "X-Live": "1" } }).catch(() => null);
  return answer?.ok ? (await answer.json()).columns : {};
}

function markHeads(hints) {
  for (const head of document.querySelectorAll("[data-head]")) {
    const hint = hints?.[head.dataset.head];
    const why = head.querySelector(".cant");
    head.classList.toggle("cannot", Boolean(hint?.why));
    head.classList.toggle("can", Boolean(hint && !hint.why));
    why.hidden = !hint?.why;
    why.textContent = hint?.why ?? "";
    head.querySelector(".un").hidden = Boolean(hint?.why);
  }
}

function makeGhost(words, minutes) {
  const ghost = document.createElement("div");
  ghost.className = "v ghost";
  ghost.setAttribute("role", "status");
  ghost.style.setProperty("--for", minutes);
  ghost.append(Object.assign(document.createElement("b"), { textContent: words }), document.createElement("span"));
  return ghost;
}

function show() {
  const column = columns()[hand.column];
  if (!column) return;
  const hint = hand.columns[column.dataset.keyOf];
  const fits = Boolean(hint?.starts.includes(hand.minute));
  hand.ghost.classList.toggle("bad", !fits);
  hand.ghost.style.setProperty("--at", hand.minute);
  hand.ghost.lastChild.textContent = `${clock(hand.minute)}${fits ? "" : hint?.why ? `, ${hint.why}` : ", not free"}`;
  if (hand.ghost.parentElement !== column) column.append(hand.ghost);
  hand.ghost.scrollIntoView({ block: "nearest" });
}

async function takeUp() {
  const box = document.getElementById("carrying");
  if (!box || !grid()) { hand = null; return; }
  const data = box.dataset;
  const keep = hand?.id === data.visit && hand.day === location.search ? hand : null;
  const hints = await hintsFor(data.visit);
  if (!box.isConnected) return;
  markHeads(hints);
  document.querySelector(".ghost")?.remove();
  const all = columns();
  const own = all.findIndex((column) => column.dataset.provider === data.provider && !hints[column.dataset.keyOf]?.why);
  const first = all.findIndex((column) => hints[column.dataset.keyOf] && !hints[column.dataset.keyOf].why);
  const column = keep?.column ?? Math.max(0, own === -1 ? first : own);
  const starts = hints[all[column]?.dataset.keyOf]?.starts ?? [];
  const wanted = Number(data.at);
  const minute = keep?.minute ?? starts.find((start) => start >= wanted) ?? starts[0] ?? wanted;
  const name = box.querySelector("b").textContent;
  hand = { id: data.visit, day: location.search, minutes: Number(data.minutes), step: Number(grid().dataset.grid), columns: hints, column, minute, ghost: makeGhost(name, data.minutes) };
  show();
}

function jumpTo(direction) {
  const starts = hand.columns[columns()[hand.column].dataset.keyOf]?.starts ?? [];
  const next = direction > 0 ? starts.find((start) => start > hand.minute) : starts.findLast((start) => start < hand.minute);
  if (next !== undefined) hand.minute = next;
}

function putDown() {
  const form = document.getElementById("placeform");
  const column = columns()[hand.column];
  form.elements.provider_id.value = column.dataset.provider || document.getElementById("carrying").dataset.provider;
  form.elements.room_id.value = column.dataset.room;
  form.elements.site_id.value = column.dataset.site;
  form.elements.day.value = column.dataset.day;
  form.elements.at.value = clock(hand.minute);
  form.requestSubmit();
}

document.addEventListener("keydown", (event) => {
  if (!hand || !document.getElementById("carrying") || typing(document.activeElement) || event.ctrlKey || event.altKey) return;
  const all = columns().length;
  const moves = {
    ArrowDown: () => (event.shiftKey ? jumpTo(1) : (hand.minute = Math.min(1440 - hand.minutes, hand.minute + hand.step))),
    ArrowUp: () => (event.shiftKey ? jumpTo(-1) : (hand.minute = Math.max(0, hand.minute - hand.step))),
    ArrowRight: () => { hand.column = Math.min(all - 1, hand.column + 1); },
    ArrowLeft: () => { hand.column = Math.max(0, hand.column - 1); },
  };
  if (event.key === "Enter" && !document.activeElement.matches("a, button, summary")) { event.preventDefault(); event.stopImmediatePropagation(); putDown(); return; }
  if (!moves[event.key]) return;
  event.preventDefault();
  event.stopImmediatePropagation();
  document.activeElement.blur?.();
  moves[event.key]();
  show();
}, true);

// What a press on a focused visit does: Y takes it up, H shelves it, + and - make it longer and shorter.
function send(id, what, fields) {
  const form = Object.assign(document.createElement("form"), { method: "post", action: `/visits/${id}/${what}` });
  const { csrf, base } = grid().dataset;
  for (const [name, value] of Object.entries({ csrf, back: base, ...fields })) form.append(Object.assign(document.createElement("input"), { type: "hidden", name, value }));
  document.body.append(form);
  form.requestSubmit();
}

function place(bar, column, minute, minutes) {
  send(bar.dataset.id, "place", {
    version: bar.dataset.version ?? "", day: column.dataset.day, site_id: column.dataset.site, provider_id: column.dataset.provider || bar.dataset.with, room_id: column.dataset.room,
    at: clock(minute), minutes,
  });
}

document.addEventListener("keydown", (event) => {
  const bar = document.activeElement;
  if (event.defaultPrevented || !bar.matches?.("#grid .v") || event.ctrlKey || event.altKey || event.metaKey) return;
  const movable = "movable" in bar.dataset;
  if (event.key === "y" && movable) location.assign(`${grid().dataset.base}&carry=${bar.dataset.id}`);
  else if (event.key === "h" && movable) send(bar.dataset.id, "shelve", { version: bar.dataset.version });
  else if ((event.key === "+" || event.key === "-") && (movable || "here" in bar.dataset)) {
    const minutes = Number(bar.dataset.min) + Number(grid().dataset.grid) * (event.key === "+" ? 1 : -1);
    place(bar, bar.closest(".column"), Number(bar.dataset.at), minutes);
  } else return;
  event.preventDefault();
  event.stopImmediatePropagation();
}, true);

// Dragging, with the same hints. Pixels a minute, measured between two ruled half hours.
function scale() {
  const [one, other] = document.querySelectorAll("#grid > .hr");
  return (other.getBoundingClientRect().top - one.getBoundingClientRect().top) / 30;
}

function under(event) {
  const column = columns().find((each) => { const box = each.getBoundingClientRect(); return event.clientX >= box.left && event.clientX < box.right; });
  if (!column) return null;
  const box = column.getBoundingClientRect();
  const px = scale();
  const minute = Number(grid().dataset.from) + (event.clientY - box.top - drag.hold) / px;
  const step = Number(grid().dataset.grid);
  return { column, minute: Math.max(0, Math.round(minute / step) * step), px };
}

let drag = null;
function startDrag(event) {
  const el = event.target;
  const box = el.getBoundingClientRect();
  drag = { el, hold: el.matches(".v") ? event.clientY0 - box.top : 8, minutes: Number(el.dataset.min), hints: {}, ghost: makeGhost(el.querySelector(".nm").textContent.trim(), el.dataset.min) };
  el.classList.add("carried");
  hintsFor(el.dataset.id).then((hints) => { if (drag?.el === el) { drag.hints = hints; markHeads(hints); } });
}

function moveDrag(event) {
  const at = under(event);
  if (!at) { drag.ghost.remove(); drag.at = null; return; }
  const hint = drag.hints[at.column.dataset.keyOf];
  const known = Object.keys(drag.hints).length > 0;
  const fits = !known || Boolean(hint?.starts.includes(at.minute));
  drag.at = at;
  drag.ghost.classList.toggle("bad", !fits);
  drag.ghost.style.setProperty("--at", at.minute);
  drag.ghost.lastChild.textContent = `${clock(at.minute)}${fits ? "" : hint?.why ? `, ${hint.why}` : ", not free"}`;
  if (drag.ghost.parentElement !== at.column) at.column.append(drag.ghost);
}

function endDrag() {
  const { el, at, minutes, ghost } = drag;
  drag = null;
  el.classList.remove("carried");
  markHeads(null);
  swallowClick();
  const stays = at && el.matches(".v") && el.closest(".column") === at.column && Number(el.dataset.at) === at.minute;
  if (!at || stays) { ghost.remove(); return; }
  place(el, at.column, at.minute, minutes);
}

function swallowClick() {
  const stop = (event) => { event.preventDefault(); event.stopPropagation(); };
  document.addEventListener("click", stop, { capture: true, once: true });
  setTimeout(() => document.removeEventListener("click", stop, { capture: true }), 50);
}

function resize(event) {
  const el = event.target;
  const step = Number(grid().dataset.grid);
  const px = scale();
  el.dataset.wanted = Math.max(step, Math.round(event.rect.height / px / step) * step);
  el.style.setProperty("--for", el.dataset.wanted);
  el.querySelector(".len").textContent = `${el.dataset.wanted}′`;
}

window.interact?.("#grid .v[data-movable], .shelfl li").draggable({ listeners: { start: startDrag, move: moveDrag, end: endDrag }, autoScroll: true });
window.interact?.("#grid .v[data-movable], #grid .v[data-here]").resizable({
  edges: { bottom: true }, margin: 4,
  listeners: {
    move: resize,
    end(event) {
      const bar = event.target;
      swallowClick();
      if (bar.dataset.wanted && bar.dataset.wanted !== bar.dataset.min) place(bar, bar.closest(".column"), Number(bar.dataset.at), bar.dataset.wanted);
    },
  },
});

// The finder's weekdays, and the first look at what is now.
document.addEventListener("click", (event) => {
  const button = event.target.closest?.("[data-weekday]");
  if (!button) return;
  const days = document.getElementById("f_days");
  const day = button.dataset.weekday;
  days.value = days.value.includes(day) ? days.value.replace(day, "") : [...days.value, day].sort().join("");
  days.form.requestSubmit();
});

function lookAtNow() {
  const book = document.querySelector("main.book");
  const now = document.querySelector(".nowy");
  if (book && now && book.scrollTop === 0 && now.offsetTop > book.clientHeight - 120) book.scrollTop = now.offsetTop - book.clientHeight / 2;
}

const settle = () => { takeUp(); lookAtNow(); };
document.addEventListener("htmx:afterSettle", (event) => { if (event.target === document.body) settle(); });
document.addEventListener("zax:live", takeUp);
if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", settle);
else settle();
