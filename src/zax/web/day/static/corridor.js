// The corridor screen: follows the feed and fetches itself again; says so in large letters when the connection is lost.
const EVERY = 20000;
const lost = document.getElementById("lost");
let waiting = null;

async function refresh() {
  waiting = null;
  const answer = await fetch(location.href, { headers: { "X-Live": "1" } }).catch(() => null);
  if (!answer || !answer.ok) { lost.hidden = false; return; }
  const fresh = new DOMParser().parseFromString(await answer.text(), "text/html").getElementById("live");
  if (!fresh) return;
  document.getElementById("live").replaceWith(document.adoptNode(fresh));
  lost.hidden = true;
}

const soon = () => { waiting ??= setTimeout(refresh, 200); };
function listen() {
  const source = new EventSource(document.body.dataset.feed);
  source.addEventListener("change", soon);
  source.addEventListener("hello", () => { if (!lost.hidden) soon(); });
  source.onerror = () => {
    lost.hidden = false;
    if (source.readyState === EventSource.CLOSED) setTimeout(listen, 5000);
  };
}
listen();
setInterval(soon, EVERY);
