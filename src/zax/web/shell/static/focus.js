// Where the focus goes. What opens has it in its first choice; after an act it is back at the visit or row it was in; a page puts it
// into what is wrong, else into the field its address names, else where the page asks for it.
const KEPT = "focus";
const FIELDS = "input:not([type=hidden]):not([disabled]), select:not([disabled]), textarea:not([disabled])";
const seen = (el) => el.getClientRects().length > 0;

// The first choice of something that just opened: a field, else a button. `not` is what opened it.
export function arrive(part, not = null) {
  const all = (css) => [...part.querySelectorAll(css)].filter((el) => el !== not && seen(el));
  const first = all(FIELDS)[0] ?? all("a[href], button:not([disabled])")[0];
  if (!first) return;
  first.focus();
  if (first.matches("input:not([type=radio]):not([type=checkbox])")) first.select?.();
}

// The visit or row in which something is done.
function placeOf(el) {
  const sheet = el?.closest?.("#sheet[data-visit]");
  return sheet ? `bar-${sheet.dataset.visit}` : el?.closest?.("[data-stays][id], #grid .v[id], [data-row][id], tr[id], li[id]")?.id ?? "";
}

// Keep where one is, for the page that follows.
export function remember(id = placeOf(document.activeElement)) {
  if (id) sessionStorage.setItem(KEPT, JSON.stringify([location.pathname, id]));
}

function back() {
  const [path, id] = JSON.parse(sessionStorage.getItem(KEPT) ?? "[]");
  if (path !== location.pathname) return;
  sessionStorage.removeItem(KEPT);
  const there = document.getElementById(id);
  const target = there?.matches("a, button") ? there : there?.querySelector("[data-act], a, button");
  if (target && seen(target)) target.focus();
}

function settle() {
  const named = location.hash ? document.getElementById(location.hash.slice(1)) : null;
  const asked = named?.matches(FIELDS) ? named : [...document.querySelectorAll("[autofocus]")].filter(seen).at(-1);
  const wanted = document.querySelector("[aria-invalid=true]") ?? asked;
  if (wanted && seen(wanted)) {
    wanted.focus();
    if (wanted.matches("input:not([type=radio]):not([type=checkbox])")) {
      wanted.select?.();
      if (wanted === asked && wanted.matches(".num") && wanted.value) wanted.dataset.offered = "";
    }
  } else if (document.activeElement === document.body || !document.activeElement) back();
}

// Whoever types or clicks into a field means it.
for (const kind of ["input", "pointerdown"]) {
  document.addEventListener(kind, (event) => { if (event.target.dataset) delete event.target.dataset.offered; }, true);
}

document.addEventListener("submit", (event) => {
  remember();
  if (event.target.matches("[data-leaves]")) document.activeElement.blur();
}, true);

// A part that a form fetched has the focus in its first choice.
document.addEventListener("htmx:afterSettle", (event) => {
  const then = event.detail.requestConfig?.elt?.dataset?.then;
  if (then && document.querySelector(then)) arrive(document.querySelector(then));
});
document.addEventListener("htmx:afterSettle", (event) => { if (event.target === document.body || event.target.id === "over") settle(); });
if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", settle);
else settle();
