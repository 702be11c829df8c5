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

document.addEventListener("change", (event) => {
  const el = event.target;
  if (el.matches("[data-sends]") && (el.value || el.tagName === "SELECT")) el.form.requestSubmit();
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

document.addEventListener("input", (event) => {
  if (event.target.id !== "amount") return;
  const takes = document.getElementById("takes");
  if (takes) takes.textContent = event.target.value.trim() ? `$${event.target.value.trim().replace(/^\$/, "")}` : "…";
});

// Earlier balances ticked or not: the sum due, the amount and the words of the button follow.
document.addEventListener("change", (event) => {
  if (!event.target.matches("input[name=also]")) return;
  const due = document.getElementById("alldue");
  const ticked = [...document.querySelectorAll("input[name=also]:checked")].reduce((sum, each) => sum + Number(each.dataset.cents), 0);
  const words = ((Number(due.dataset.here) + ticked) / 100).toLocaleString("en-US", { minimumFractionDigits: 2, maximumFractionDigits: 2 });
  due.textContent = `$${words}`;
  const amount = document.getElementById("amount");
  if (amount) { amount.value = words; amount.dispatchEvent(new Event("input", { bubbles: true })); }
});

// While an answer is on its way the same form is not sent again; the server would take it only once anyway.
document.addEventListener("submit", (event) => {
  const form = event.target;
  if (form.dataset.sent) { event.preventDefault(); event.stopImmediatePropagation(); return; }
  form.dataset.sent = "yes";
  setTimeout(() => delete form.dataset.sent, 1500);
}, true);

// A card takes a few seconds: say what is being waited for.
document.addEventListener("htmx:beforeRequest", (event) => {
  const form = event.target;
  if (!form.matches?.(".coform") || !form.querySelector("[name=tender][value=card]:checked")) return;
  if (event.detail.requestConfig.parameters.do === "finish") return;
  document.getElementById("said")?.remove();
  const words = document.createElement("div");
  words.className = "said";
  words.setAttribute("role", "status");
  words.textContent = "Asking the card terminal. This can take a few seconds.";
  document.body.append(words);
});

function settle() {
  const wrong = document.querySelector("[aria-invalid=true]");
  const wanted = wrong || document.querySelector("[autofocus]");
  if (wanted && wanted.getClientRects().length) { wanted.focus(); wanted.select?.(); }
  const said = document.getElementById("said");
  if (said && !said.querySelector("button")) setTimeout(() => said.remove(), 6000);
}

document.addEventListener("htmx:afterSettle", (event) => { if (event.target === document.body) settle(); });
document.addEventListener("DOMContentLoaded", settle);
if (document.readyState !== "loading") settle();
