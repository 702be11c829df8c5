// Sums on every form where money is taken: what is ticked, what each tender gives, what is left, change and credit. The server reckons again.
import { cents, words } from "./amount.js";

const rowsOf = (form) => [...form.querySelectorAll("[data-tender]")];
const amountOf = (row) => row.querySelector("[name=amount]");

// What is due: the ticked items at the amounts typed beside them, and what the page says besides.
function due(form) {
  const fixed = Number(form.querySelector("[data-here]")?.dataset.here || 0);
  return [...form.querySelectorAll("input[data-cents]:checked")].reduce((sum, tick) => {
    const typed = tick.closest(".ln, p")?.querySelector("input[data-part]");
    return sum + (typed ? cents(typed.value) ?? 0 : Number(tick.dataset.cents));
  }, fixed);
}

function tendered(form) {
  return rowsOf(form).filter((row) => !row.hidden).reduce((sum, row) => sum + (cents(amountOf(row).value) ?? 0), 0);
}

// The first amount follows the sum until somebody types another; a further row takes the rest.
function fill(form) {
  const rows = rowsOf(form).filter((row) => !row.hidden);
  const open = rows.filter((row) => !amountOf(row).dataset.typed);
  const last = open[open.length - 1];
  if (!last) return;
  const others = rows.filter((row) => row !== last).reduce((sum, row) => sum + (cents(amountOf(row).value) ?? 0), 0);
  const rest = due(form) - others;
  amountOf(last).value = rest > 0 ? words(rest) : "";
}

function show(form) {
  const wanted = due(form), given = tendered(form), over = given - wanted;
  for (const row of rowsOf(form)) {
    const option = row.querySelector("select").selectedOptions[0];
    row.querySelector(".checkno").hidden = !option.hasAttribute("data-number");
    const typed = cents(amountOf(row).value);
    row.querySelector("[data-sum]").textContent = typed ? words(typed) : "";
  }
  const total = form.querySelector("#alldue");
  if (total) total.textContent = `$${words(wanted)}`;
  for (const [name, text] of [["covered", over > 0 ? `${words(over)} more than the ${words(wanted)} due` : over < 0 ? `${words(given)} of ${words(wanted)} covered, ${words(-over)} still due` : `${words(given)} covered, nothing left due`], ["tendered", words(given)]]) {
    const place = form.querySelector(`[data-${name}]`);
    if (place) place.textContent = text;
  }
  const bar = form.querySelector(".coverbar i");
  if (bar) bar.className = `w-${Math.min(100, wanted ? Math.floor((given * 100) / wanted) : 0)}`;
  const takes = form.querySelector("#takes") || document.querySelector("#takes");
  const ask = form.querySelector("[data-over]");
  if (ask && wanted > 0) {
    ask.hidden = over <= 0;
    ask.querySelector("[data-over-says]").textContent = over > 0 ? `${words(over)} over` : "";
    const cash = rowsOf(form).some((row) => !row.hidden && row.querySelector("select").value === "cash");
    ask.querySelector("[value=change]").disabled = !cash;
    if (over <= 0 || (!cash && ask.querySelector("[value=change]").checked)) for (const each of ask.querySelectorAll("input")) each.checked = false;
    if (over > 0 && cash && !ask.querySelector("input:checked")) ask.querySelector("[value=change]").checked = true;
  }
  const change = over > 0 && form.querySelector("[value=change]:checked");
  if (takes) takes.textContent = given || wanted ? `$${words(change ? wanted : given)}` : "…";
}

function refresh(form, typing) {
  if (typing) amountOf(typing).dataset.typed = "yes";
  fill(form);
  show(form);
}

const formOf = (el) => el.closest?.("form")?.querySelector("[data-tender]") ? el.closest("form") : null;

document.addEventListener("input", (event) => {
  const form = formOf(event.target);
  if (!form) return;
  if (event.target.matches("[data-part]")) {
    const tick = event.target.closest(".ln").querySelector("input[data-cents]");
    if (tick) tick.checked = Boolean(cents(event.target.value));
  }
  refresh(form, event.target.matches("[name=amount]") ? event.target.closest("[data-tender]") : null);
});

document.addEventListener("change", (event) => {
  const form = formOf(event.target);
  if (!form) return;
  const part = event.target.matches("input[data-cents]") && event.target.closest(".ln")?.querySelector("[data-part]");
  if (part) part.value = event.target.checked ? words(Number(event.target.dataset.cents)) : "";
  refresh(form, event.target.matches("[name=amount]") ? event.target.closest("[data-tender]") : null);
});

// One more tender: say what it gives, the one above takes the rest; where that was typed by hand the new one takes it.
document.addEventListener("click", (event) => {
  const more = event.target.closest?.("[data-more]");
  const form = more && formOf(more);
  if (!form) return;
  const hidden = rowsOf(form).find((row) => row.hidden);
  if (!hidden) return;
  const rest = rowsOf(form).some((row) => !row.hidden && !amountOf(row).dataset.typed);
  if (rest) amountOf(hidden).dataset.typed = "yes";
  hidden.hidden = false;
  refresh(form, null);
  more.hidden = !rowsOf(form).some((row) => row.hidden);
  amountOf(hidden).focus();
  amountOf(hidden).select();
});

// A card takes a few seconds: say what is being waited for.
document.addEventListener("htmx:beforeRequest", (event) => {
  const form = event.target;
  if (!form.matches?.("form") || !form.querySelector("[data-tender]")) return;
  const asks = rowsOf(form).some((row) => !row.hidden && amountOf(row).value && /^(card|file)/.test(row.querySelector("select").value));
  if (!asks || event.detail.requestConfig.parameters.do === "finish" || event.detail.requestConfig.verb === "get") return;
  document.getElementById("said")?.remove();
  const said = document.createElement("div");
  said.className = "said";
  said.setAttribute("role", "status");
  said.textContent = "Asking the card terminal. This can take a few seconds.";
  document.body.append(said);
});

function start() {
  for (const row of document.querySelectorAll("[data-tender]")) {
    const amount = amountOf(row);
    if (amount.value && cents(amount.value) !== due(row.closest("form"))) amount.dataset.typed = "yes";
  }
  for (const form of new Set([...document.querySelectorAll("[data-tender]")].map((row) => row.closest("form")))) refresh(form, null);
}
document.addEventListener("htmx:afterSettle", start);
if (document.readyState !== "loading") start(); else document.addEventListener("DOMContentLoaded", start);
