// Small manners of forms: send on choice, lengths that follow the type, one press is one press, focus on the first wrong field.
// Only the types that the chosen provider does; the first of them when the present one is not.
function offerTypes(provider) {
  const types = document.getElementById(provider.dataset.roles);
  const role = provider.selectedOptions[0].dataset.role;
  for (const option of types.options) option.hidden = option.disabled = option.dataset.role !== role;
  if (types.selectedOptions[0].disabled) {
    types.value = [...types.options].find((option) => !option.disabled).value;
    types.dispatchEvent(new Event("change", { bubbles: true }));
  }
}

// A list that is gone through by letters or arrows is not sent at each of them: Enter, or leaving it, says which.
const byLetters = new Map();
document.addEventListener("keydown", (event) => {
  const el = event.target;
  if (!el.matches?.("select[data-sends]") || event.ctrlKey || event.altKey || event.metaKey) return;
  if (event.key === "Enter") { event.preventDefault(); sendChosen(el); el.blur(); } // the keys are the page's again
  else if (event.key.length === 1 || event.key.startsWith("Arrow")) byLetters.set(el, byLetters.get(el) ?? el.value);
}, true);
document.addEventListener("focusout", (event) => sendChosen(event.target));

function sendChosen(el) {
  if (!byLetters.has(el)) return;
  const before = byLetters.get(el);
  byLetters.delete(el);
  if (el.value !== before && el.isConnected) el.form.requestSubmit();
}

document.addEventListener("change", (event) => {
  const el = event.target;
  if (el.matches("[data-sends]") && !byLetters.has(el) && (el.value || el.tagName === "SELECT")) el.form.requestSubmit();
  if (el.matches("select[data-roles]")) offerTypes(el);
  if (el.matches("select[data-minutes]")) document.getElementById(el.dataset.minutes).value = el.selectedOptions[0].dataset.minutes;
});

// A link that opens a folded part of the page.
document.addEventListener("click", (event) => {
  const opens = event.target.closest?.("[data-opens]");
  if (!opens) return;
  event.preventDefault();
  const part = document.getElementById(opens.dataset.opens).querySelector("details");
  part.open = true;
  part.scrollIntoView({ block: "nearest" });
  part.querySelector("input:not([type=hidden]), select")?.focus();
});

// A row that chooses from a list of the form.
document.addEventListener("click", (event) => {
  const row = event.target.closest?.("[data-chooses]");
  if (!row) return;
  const list = document.getElementById(row.dataset.chooses);
  list.value = row.dataset.value;
  list.dispatchEvent(new Event("change", { bubbles: true }));
  list.focus();
});

// While an answer is on its way the same form is not sent again; the server would take it only once anyway.
document.addEventListener("submit", (event) => {
  const form = event.target;
  if (form.dataset.sent) { event.preventDefault(); event.stopImmediatePropagation(); return; }
  form.dataset.sent = "yes";
  setTimeout(() => delete form.dataset.sent, 1500);
}, true);

// A form that was taken and still stands there is a new one: it gets a new key.
document.addEventListener("htmx:afterRequest", (event) => {
  const key = event.target.closest?.("form")?.elements.once;
  if (key?.isConnected && event.detail.successful) key.value = crypto.randomUUID();
});

// What was just done is told for a while.
function fade() {
  const said = document.getElementById("said");
  if (said && !said.querySelector("button")) setTimeout(() => said.remove(), 6000);
}

document.addEventListener("htmx:afterSettle", (event) => { if (event.target === document.body) fade(); });
document.addEventListener("DOMContentLoaded", fade);
if (document.readyState !== "loading") fade();
