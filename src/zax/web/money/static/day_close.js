// The evening count: pieces become the drawer, ticks become the bag, and every tender says at once whether it agrees.
import { cents, words } from "./amount.js";

function count(form) {
  const kept = Number(form.dataset.float);
  const fields = [...form.querySelectorAll("[data-value]")];
  const begun = fields.some((each) => each.value.trim());
  const drawer = [...form.querySelectorAll("[data-value]")].reduce((sum, each) => sum + Number(each.dataset.value) * (Number(each.value) || 0), 0);
  const bag = [...form.querySelectorAll("[data-check]:checked")].reduce((sum, each) => sum + Number(each.dataset.check), 0);
  const cash = Math.max(0, drawer - kept);
  form.querySelector("[data-drawer]").textContent = words(drawer);
  for (const each of form.querySelectorAll("[data-cash]")) each.textContent = words(cash);
  form.querySelector("[data-bank]").textContent = `$${words(cash + bag)}`;
  let counted = 0, expected = 0, complete = true;
  for (const row of form.querySelectorAll("[data-tender-count]")) {
    const wanted = Number(row.dataset.expected);
    const field = row.querySelector("input");
    const have = field ? cents(field.value) ?? 0 : row.dataset.tenderCount === "cash" ? drawer - kept : bag;
    const shown = row.querySelector("[data-counted]");
    const waits = row.dataset.tenderCount === "cash" && !begun;
    if (shown) shown.textContent = waits ? "" : words(have);
    differs(row.querySelector("[data-differs]"), have - wanted, waits);
    complete &&= !waits;
    counted += have;
    expected += wanted;
  }
  form.querySelector("[data-all]").textContent = complete ? words(counted) : "";
  differs(form.querySelector("[data-alldiffers]"), counted - expected, !complete);
}

function differs(place, over, waits = false) {
  place.replaceChildren();
  const said = document.createElement("span");
  if (over && !waits) said.className = "stop";
  said.textContent = waits ? "not counted" : over ? `${words(Math.abs(over))} ${over > 0 ? "over" : "short"}` : "agrees";
  place.append(said);
}

const formOf = (el) => el.closest?.("[data-count]");
for (const name of ["input", "change"]) document.addEventListener(name, (event) => { const form = formOf(event.target); if (form && !form.querySelector("[data-value]").disabled) count(form); });
function start() {
  const form = document.querySelector("[data-count]");
  if (form && !form.querySelector("[data-value]").disabled) count(form);
}
document.addEventListener("htmx:afterSettle", start);
if (document.readyState !== "loading") start(); else document.addEventListener("DOMContentLoaded", start);
