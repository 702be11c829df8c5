// A day is typed as it is said ("fri", "3w", "dec 15") or chosen from a month. Without script the page's own date field stands there; with it
// the field shows the day the clinic's way, and what is sent stays 2026-11-24. The server reads what was said, so there is one reader.
const page = document.documentElement.dataset;
const spelled = new Intl.DateTimeFormat("en-US", { weekday: "short", month: "short", day: "numeric", year: "numeric", timeZone: "UTC" });
const titled = new Intl.DateTimeFormat("en-US", { month: "long", year: "numeric", timeZone: "UTC" });
const isDay = (text) => /^\d{4}-\d\d-\d\d$/.test(text);
const dateOf = (iso) => new Date(`${iso}T00:00Z`);
const isoOf = (date) => date.toISOString().slice(0, 10);
const today = () => document.querySelector("[data-today]")?.dataset.today ?? isoOf(new Date());

function words(iso) {
  const part = Object.fromEntries(spelled.formatToParts(dateOf(iso)).map((each) => [each.type, each.value]));
  const { weekday, day, month, year } = part;
  return page.days === "day" ? `${weekday} ${day} ${month} ${year}` : `${weekday}, ${month} ${day}, ${year}`;
}

const boxOf = (el) => el.closest(".dayfield");
const textOf = (box) => box.querySelector("input:not([type=hidden])");
const sentOf = (box) => box.querySelector("input[type=hidden]");

function say(box, problem) {
  box.querySelector(".err")?.remove();
  const text = textOf(box);
  text.toggleAttribute("aria-invalid", Boolean(problem));
  if (problem) {
    text.setAttribute("aria-invalid", "true");
    box.append(Object.assign(document.createElement("p"), { className: "err", role: "alert", textContent: problem }));
  }
}

function set(box, iso) {
  const sent = sentOf(box);
  textOf(box).value = iso ? words(iso) : "";
  delete box.dataset.pending;
  say(box, "");
  if (sent.value === iso) return;
  sent.value = iso;
  sent.dispatchEvent(new Event("change", { bubbles: true }));
}

// What was typed, as a day; false when it is none. Leaving the field and sending the form ask once.
const asked = new WeakMap();
function resolve(box) {
  if (!("pending" in box.dataset)) return true;
  if (!asked.has(box)) asked.set(box, ask(box).finally(() => asked.delete(box)));
  return asked.get(box);
}

async function ask(box) {
  const typed = textOf(box).value.trim();
  if (!typed) { set(box, ""); return true; }
  const answer = await fetch(`/days?say=${encodeURIComponent(typed)}`).then((got) => got.json()).catch(() => ({}));
  if (textOf(box).value.trim() !== typed) return false;
  if (answer.day) { set(box, answer.day); return true; }
  say(box, answer.problem ?? "The day could not be checked. Try again.");
  return false;
}

function upgrade(field) {
  const box = Object.assign(document.createElement("span"), { className: "dayfield" });
  const text = field.cloneNode();
  const given = field.getAttribute("value") ?? "";
  for (const name of ["name", "min", "max", "data-sends", "form"]) text.removeAttribute(name);
  Object.assign(text, { type: "text", autocomplete: "off", placeholder: page.days === "day" ? "24/12, fri, 3w" : "12/24, fri, 3w" });
  text.value = isDay(given) ? words(given) : given;
  const open = Object.assign(document.createElement("button"), { type: "button", className: "opencal", tabIndex: -1 });
  open.setAttribute("aria-label", "Choose from a calendar");
  field.before(box);
  for (const name of ["id", "class", "autofocus", "aria-label", "aria-invalid", "aria-describedby", "required"]) field.removeAttribute(name);
  field.type = "hidden";
  field.value = given;
  box.append(text, open, field);
}

function upgradeAll() {
  for (const field of document.querySelectorAll("input[type=date]")) upgrade(field);
}

// A month to choose from: arrows go by days and weeks, Page Up and Page Down by months.
function draw(box, iso) {
  box.querySelector(".cal")?.remove();
  const cal = Object.assign(document.createElement("div"), { className: "cal" });
  cal.setAttribute("role", "dialog");
  cal.setAttribute("aria-label", "Choose a day");
  cal.dataset.layer = "";
  const first = dateOf(`${iso.slice(0, 8)}01`);
  const head = document.createElement("p");
  const [back, on] = [["‹", "The month before", "PageUp"], ["›", "The month after", "PageDown"]].map(([sign, name, key]) => {
    const button = Object.assign(document.createElement("button"), { type: "button", textContent: sign, tabIndex: -1 });
    button.setAttribute("aria-label", name);
    button.dataset.goes = key;
    return button;
  });
  head.append(back, Object.assign(document.createElement("b"), { textContent: titled.format(first) }), on);
  const grid = Object.assign(document.createElement("div"), { className: "calgrid" });
  const sunday = page.days !== "day"; // where the month is said first, a week begins on Sunday
  for (const name of sunday ? "SMTWTFS" : "MTWTFSS") grid.append(Object.assign(document.createElement("i"), { textContent: name }));
  const day = new Date(first);
  day.setUTCDate(1 - ((first.getUTCDay() + (sunday ? 0 : 6)) % 7));
  do {
    for (let n = 0; n < 7; n += 1) {
      const each = isoOf(day);
      const button = Object.assign(document.createElement("button"), { type: "button", textContent: day.getUTCDate(), tabIndex: -1 });
      button.dataset.day = each;
      button.setAttribute("aria-label", words(each));
      button.className = [day.getUTCMonth() === first.getUTCMonth() ? "" : "other", each === today() ? "today" : "", each === sentOf(box).value ? "on" : ""].join(" ").trim();
      grid.append(button);
      day.setUTCDate(day.getUTCDate() + 1);
    }
  } while (day.getUTCMonth() === first.getUTCMonth());
  cal.append(head, grid);
  box.append(cal);
  cal.querySelector(`[data-day="${iso}"]`).focus();
}

const shownIn = (box) => (isDay(sentOf(box).value) ? sentOf(box).value : today());

function close(box) {
  box.querySelector(".cal")?.remove();
  textOf(box).focus();
}

function moved(iso, key) {
  const day = dateOf(iso);
  const days = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -7, ArrowDown: 7 }[key];
  if (days) day.setUTCDate(day.getUTCDate() + days);
  const months = { PageUp: -1, PageDown: 1 }[key];
  if (months) {
    const wanted = day.getUTCDate();
    day.setUTCDate(1);
    day.setUTCMonth(day.getUTCMonth() + months);
    const last = new Date(Date.UTC(day.getUTCFullYear(), day.getUTCMonth() + 1, 0)).getUTCDate();
    day.setUTCDate(Math.min(wanted, last));
  }
  return days || months ? isoOf(day) : "";
}

document.addEventListener("click", (event) => {
  const box = boxOf(event.target);
  for (const open of document.querySelectorAll(".cal")) if (boxOf(open) !== box) open.remove();
  if (!box) return;
  const { day, goes } = event.target.dataset;
  if (event.target.matches(".opencal")) {
    if (box.querySelector(".cal")) close(box); else draw(box, shownIn(box));
  } else if (day) {
    set(box, day);
    close(box);
  } else if (goes) {
    draw(box, moved(document.activeElement.dataset.day ?? box.querySelector(".cal [data-day]:not(.other)").dataset.day, goes));
  } else return;
  event.preventDefault();
});

document.addEventListener("keydown", (event) => {
  const box = boxOf(event.target);
  if (!box) return;
  if (event.target === textOf(box)) {
    if (event.key !== "ArrowDown") return;
    event.preventDefault();
    draw(box, shownIn(box));
    return;
  }
  if (event.key === "Tab") { box.querySelector(".cal")?.remove(); return; }
  event.stopPropagation();
  const next = moved(event.target.dataset.day ?? shownIn(box), event.key);
  if (next) { event.preventDefault(); draw(box, next); }
  if (event.key === "Escape") { event.preventDefault(); close(box); }
}, true);

document.addEventListener("input", (event) => {
  const box = boxOf(event.target);
  if (!box || event.target !== textOf(box)) return;
  box.dataset.pending = "";
  sentOf(box).value = event.target.value;
});

document.addEventListener("change", (event) => {
  const box = boxOf(event.target);
  if (box && event.target === textOf(box)) { event.stopPropagation(); resolve(box); }
}, true);

// A form waits until its days are known; one that is none keeps it here.
document.addEventListener("submit", (event) => {
  const waiting = [...event.target.querySelectorAll(".dayfield[data-pending]")];
  if (!waiting.length) return;
  event.preventDefault();
  event.stopImmediatePropagation();
  Promise.all(waiting.map(resolve)).then((known) => {
    if (known.every(Boolean)) event.target.requestSubmit(event.submitter);
    else textOf(waiting[known.indexOf(false)]).focus();
  });
}, true);

document.addEventListener("htmx:load", upgradeAll);
upgradeAll();
