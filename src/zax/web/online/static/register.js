// A page that patients fill in saves itself as it is typed. Without a connection nothing is lost: what was typed
// stays in this tab, and is sent once there is one again.
const PAUSE = 1200;
let waiting = 0, sending = null, again = 0;

function formHere() { return document.querySelector("form[data-saves]"); }

function keptName() { return `typed ${location.pathname}`; }

function keepHere(form) {
  const typed = [...new FormData(form)].filter(([name, value]) => name !== "csrf" && typeof value === "string");
  try { sessionStorage.setItem(keptName(), JSON.stringify(typed)); } catch { /* a full or closed store: the server has what it had */ }
}

function bringBack(form) {
  const kept = sessionStorage.getItem(keptName());
  if (!kept) return;
  for (const [name, value] of JSON.parse(kept)) {
    for (const field of form.querySelectorAll(`[name="${CSS.escape(name)}"]`)) {
      if (field.type === "radio") field.checked = field.value === value;
      else if (field.type !== "file") field.value = value;
    }
  }
  save(form);
}

function say(form, offline) {
  const line = form.querySelector("#saved");
  line.classList.toggle("ol-offline", offline);
  if (offline) line.textContent = form.dataset.offline;
}

async function post(form, body) {
  const answer = await fetch(form.action, { method: "POST", body, headers: { "x-part": "1" } });
  if (answer.status >= 500) throw new TypeError("the server is away");
  return answer;
}

function takeOver(form, html) {
  const part = new DOMParser().parseFromString(html, "text/html");
  for (const id of ["saved", "cards"]) {
    const now = form.querySelector(`#${id}`), then = part.getElementById(id);
    if (now && then && now.innerHTML !== then.innerHTML) now.replaceWith(then);
  }
}

async function save(form) {
  clearTimeout(waiting);
  if (sending) { again = 1; return; }
  keepHere(form);
  const body = new FormData(form);
  body.set("do", "draft");
  sending = post(form, body);
  try {
    const answer = await sending;
    if (answer.ok && !answer.redirected) {
      takeOver(form, await answer.text());
      sessionStorage.removeItem(keptName());
      say(form, false);
    }
  } catch {
    say(form, true);
    waiting = setTimeout(() => save(form), 5 * PAUSE);
  } finally {
    sending = null;
  }
  if (again) { again = 0; await save(form); }
}

function soon(event, pause) {
  const form = event.target.closest?.("form[data-saves]");
  if (!form) return;
  keepHere(form);
  clearTimeout(waiting);
  waiting = setTimeout(() => save(form), pause);
}

document.addEventListener("input", (event) => soon(event, PAUSE));
document.addEventListener("change", (event) => soon(event, 100));
document.addEventListener("pointerup", () => {
  const form = formHere();
  if (form?.querySelector("[data-pad]")) setTimeout(() => { if (form.strokes.value) { keepHere(form); save(form); } }, 100);
});
addEventListener("online", () => { const form = formHere(); if (form) save(form); });

document.addEventListener("submit", async (event) => {
  const form = event.target.closest?.("form[data-saves]");
  if (!form) return;
  event.preventDefault();
  clearTimeout(waiting);
  keepHere(form);
  const body = new FormData(form, event.submitter);
  try {
    if (sending) await sending.catch(() => 0);
    const answer = await fetch(form.action, { method: "POST", body });
    if (answer.status >= 500) throw new TypeError("the server is away");
    sessionStorage.removeItem(keptName());
    if (answer.redirected) { location.assign(answer.url); return; }
    const page = new DOMParser().parseFromString(await answer.text(), "text/html");
    document.querySelector("main").replaceWith(page.querySelector("main"));
    document.dispatchEvent(new Event("htmx:afterSettle"));  // the pad draws what was signed
    document.querySelector("[aria-invalid], .ol-err")?.scrollIntoView({ block: "center" });
    document.querySelector("[aria-invalid]")?.focus();
  } catch {
    say(form, true);
  }
});

const first = formHere();
if (first) bringBack(first);
