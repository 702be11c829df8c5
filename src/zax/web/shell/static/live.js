// Keeps an open page true: when the change feed says that its day changed, the page is fetched again and its live parts replaced.
const EVERY = 30000;
let source;
let waiting = null;

function concerns(change) {
  const live = document.getElementById("live");
  if (!live) return document.getElementById("sheet") !== null;
  // An evening sends hundreds of messages: what becomes of each concerns only the screens that show it.
  if (change.what === "message") return "talk" in live.dataset;
  if ("any" in live.dataset) return true;
  return (!change.site || String(change.site) === live.dataset.site) && (!change.day || change.day === live.dataset.day);
}

// A part in which somebody is typing, or has something opened, is left alone.
function busy(part) {
  const at = document.activeElement;
  return (part.contains(at) && at.matches("input, textarea, select")) || part.querySelector("details[open] input:not([type=hidden])") !== null;
}

// A form's own key is new at every look and changes nothing that is seen.
const seen = (part) => part.innerHTML.replaceAll(/name="once" value="[^"]*"/g, "");

async function refresh() {
  waiting = null;
  const shown = location.href;
  const parts = [...document.querySelectorAll("[data-live]")].filter((part) => !busy(part));
  if (!parts.length) return;
  const answer = await fetch(shown, { headers: { "X-Live": "1" }, redirect: "error" }).catch(() => null);
  if (!answer || !answer.ok || shown !== location.href) return;
  const fresh = new DOMParser().parseFromString(await answer.text(), "text/html");
  for (const part of parts) {
    const next = fresh.getElementById(part.id);
    if (!next || !part.isConnected || seen(next) === seen(part)) continue;
    const focused = part.contains(document.activeElement) ? document.activeElement.id : "";
    const taken = document.adoptNode(next);
    part.replaceWith(taken);
    window.htmx.process(taken);
    if (focused) document.getElementById(focused)?.focus();
  }
  document.dispatchEvent(new Event("zax:live"));
}

const soon = () => { waiting ??= setTimeout(refresh, 120); };

function say(lost) {
  const sign = document.getElementById("lost");
  if (sign) sign.hidden = !lost;
}

// The database does not answer: the page stays as it is, with everything typed, and says so until an answer comes.
function sayDown(down) {
  const sign = document.getElementById("down");
  if (sign) sign.hidden = !down;
}
document.addEventListener("zax-down", () => sayDown(true));
document.addEventListener("htmx:afterRequest", (event) => { if (event.detail.xhr.status < 500) sayDown(false); });

// The browser knows at once when its network goes; the stream only notices when it next hears nothing.
addEventListener("offline", () => say(true));
addEventListener("online", () => { source?.close(); listen(); });

function listen() {
  source = new EventSource("/live");
  source.addEventListener("change", (event) => { if (concerns(JSON.parse(event.data))) soon(); });
  source.addEventListener("hello", () => {
    const lost = document.getElementById("lost");
    if (lost && !lost.hidden) { say(false); soon(); }
  });
  source.onerror = () => {
    say(true);
    if (source.readyState === EventSource.CLOSED) setTimeout(listen, 3000);
  };
}

listen();
addEventListener("pagehide", () => source.close());
addEventListener("pageshow", (event) => { if (event.persisted) listen(); });
setInterval(soon, EVERY);
