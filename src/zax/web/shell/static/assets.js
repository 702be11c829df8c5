// The style sheets and scripts of areas this page does not show: fetched beside it, put on once all are there.
// A step to another page waits for them, so that none stands there half dressed.
const sheets = [...document.querySelectorAll("link[data-later]")];
const scripts = (document.querySelector("meta[name=later]")?.content ?? "").split(" ").filter(Boolean);

const fetched = (link) => new Promise((done) => {
  if (link.sheet) return done();
  link.addEventListener("load", done, { once: true });
  link.addEventListener("error", done, { once: true });
});

let ready = false;
const all = Promise.allSettled([...sheets.map(fetched), ...scripts.map((each) => import(each))]).then(() => {
  for (const link of sheets) link.media = "all";
  ready = true;
});

document.addEventListener("htmx:confirm", (event) => {
  if (ready) return;
  event.preventDefault();
  all.then(() => event.detail.issueRequest(true));
});
