// Fields that offer hits while one types: arrows move, Enter takes, Escape closes.
const listOf = (field) => document.getElementById(field.dataset.hits);
const rowsOf = (list) => [...list.querySelectorAll("[role=option]")];

function mark(list, row) {
  for (const each of rowsOf(list)) each.setAttribute("aria-selected", String(each === row));
  row?.scrollIntoView({ block: "nearest" });
}

function close(field) {
  listOf(field).replaceChildren();
  field.setAttribute("aria-expanded", "false");
}

function pickPatient(row) {
  const chosen = document.getElementById("chosen");
  const p = document.createElement("p");
  p.className = "chosen";
  const name = document.createElement("b");
  name.textContent = `${row.dataset.first} ${row.dataset.last}`;
  const more = document.createElement("span");
  more.textContent = row.dataset.more;
  const change = Object.assign(document.createElement("button"), { type: "button", className: "button bare", textContent: "change" });
  change.dataset.unpick = "";
  const id = Object.assign(document.createElement("input"), { type: "hidden", name: "patient_id", value: row.dataset.pick });
  p.append(name, " ", more, " ", change, id);
  chosen.replaceChildren(p);
  document.querySelector(".picker").hidden = true;
  const offers = document.getElementById("slipmore");
  if (offers) window.htmx.ajax("GET", `/book/about/${row.dataset.pick}`, { target: offers, swap: "innerHTML", push: false }).then(putForward);
  (document.getElementById("type_id") ?? p.closest("form").querySelector("button:not([type])")).focus();
}

// The visit that is due, unless somebody chose one: the first that this provider does.
function putForward() {
  const types = document.getElementById("type_id");
  if (!types || types.dataset.chosen) return;
  const due = document.querySelector("[data-due]")?.dataset.due.split(",") ?? [];
  const fits = due.map((id) => types.querySelector(`option[value="${id}"]:not([disabled])`)).find(Boolean);
  if (!fits || fits.selected) return;
  types.value = fits.value;
  types.dispatchEvent(new Event("change", { bubbles: true }));
}

// Added to the visit that is being booked; the field is free for the next.
function addToVisit(row) {
  const list = document.getElementById("added");
  const words = row.dataset.words.split(";");
  row.dataset.add.split(";").forEach((value, at) => {
    const made = document.createElement("li");
    const sent = Object.assign(document.createElement("input"), { type: "hidden", name: "also", value });
    const name = Object.assign(document.createElement("span"), { textContent: words[at] });
    const away = Object.assign(document.createElement("button"), { type: "button", className: "link", textContent: "×", ariaLabel: `Remove ${words[at]}` });
    away.dataset.unadd = "";
    made.append(sent, name, away);
    list.append(made);
  });
  clearSearch();
}

function clearSearch() {
  const field = document.getElementById("also");
  field.value = "";
  close(field);
  field.focus();
}

function tickPlanned(row) {
  const box = document.querySelector(`[name="planned"][value="${row.dataset.tick}"]`);
  if (box) box.checked = true;
  clearSearch();
}

function take(row) {
  if (row.dataset.pick) { pickPatient(row); return; }
  if ("newpatient" in row.dataset) { document.querySelector("details.newp").open = true; return; }
  if (row.dataset.add) { addToVisit(row); return; }
  if (row.dataset.tick) { tickPlanned(row); return; }
  if (row.dataset.set) {
    document.getElementById(row.dataset.set).value = row.dataset.value;
    row.closest("form").requestSubmit();
    return;
  }
  document.activeElement.blur(); // so that keys mean the next page, not this field
  row.click();
}

document.addEventListener("keydown", (event) => {
  const field = event.target.closest?.("[data-hits]");
  if (!field) return;
  const list = listOf(field);
  const rows = rowsOf(list);
  const at = rows.findIndex((row) => row.getAttribute("aria-selected") === "true");
  if (event.key === "ArrowDown" || event.key === "ArrowUp") {
    if (!rows.length) return;
    event.preventDefault();
    mark(list, rows[Math.min(rows.length - 1, Math.max(0, at + (event.key === "ArrowDown" ? 1 : -1)))]);
  } else if (event.key === "Enter" && !event.ctrlKey && rows.length) {
    event.preventDefault();
    take(rows[Math.max(0, at)]);
  } else if (event.key === "Escape" && list.childElementCount) {
    event.preventDefault();
    close(field);
  }
});

// A name offered beside a hidden field: pressing it chooses that person.
function setField(button) {
  const field = document.getElementById(button.dataset.setfield);
  field.value = button.dataset.value;
  const chosen = document.getElementById("chosen");
  const p = Object.assign(document.createElement("p"), { className: "chosen", textContent: button.dataset.words });
  chosen.replaceChildren(p);
}

document.addEventListener("click", (event) => {
  const offered = event.target.closest?.("[data-setfield]");
  if (offered) { event.preventDefault(); setField(offered); return; }
  const row = event.target.closest?.("[role=option][data-pick], [role=option][data-set], [role=option][data-add], [role=option][data-tick], [role=option][data-newpatient]");
  if (row) { event.preventDefault(); take(row); return; }
  if (event.target.closest?.("[data-unpick]")) {
    document.getElementById("chosen").replaceChildren();
    for (const part of ["slipmore", "slipabout"]) document.getElementById(part)?.replaceChildren();
    document.querySelector(".picker").hidden = false;
    const field = document.querySelector(".picker [data-hits]");
    field.value = "";
    close(field);
    field.focus();
  }
  event.target.closest?.("[data-unadd]")?.closest("li").remove();
  for (const field of document.querySelectorAll("[data-hits]")) {
    if (!field.closest("form").contains(event.target)) close(field);
  }
});

document.addEventListener("change", (event) => {
  if (event.isTrusted && event.target.id === "type_id") event.target.dataset.chosen = "yes";
});

// Who was searched for and is new need not be typed again.
document.addEventListener("toggle", async (event) => {
  const fresh = event.target;
  const who = document.getElementById("who");
  if (!fresh.matches?.("details.newp") || !fresh.open || !who?.value.trim() || fresh.querySelector("#first").value) return;
  const named = await fetch(`/patients/named?q=${encodeURIComponent(who.value)}`).then((got) => got.json()).catch(() => null);
  if (!named || fresh.querySelector("#first").value) return;
  for (const [name, value] of Object.entries(named)) fresh.querySelector(`#${name}`).value = value;
  who.value = "";
  close(who);
  [...fresh.querySelectorAll("input")].find((field) => !field.value)?.focus();
}, true);

document.addEventListener("htmx:afterSwap", (event) => {
  const list = event.target;
  if (!list.matches?.(".hits")) return;
  const rows = rowsOf(list);
  document.querySelector(`[data-hits="${list.id}"]`)?.setAttribute("aria-expanded", String(rows.length > 0));
  if (rows.length) mark(list, rows[0]);
});
