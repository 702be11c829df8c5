// How long a text is, as it is written: septets or code units, how many messages, and what makes it so.
const BASIC = "@£$¥èéùìòÇ\nØø\rÅåΔ_ΦΓΛΩΠΨΣΘΞÆæßÉ !\"#¤%&'()*+,-./0123456789:;<=>?¡ABCDEFGHIJKLMNOPQRSTUVWXYZÄÖÑÜ§¿abcdefghijklmnopqrstuvwxyzäöñüà";
const EXTENSION = "\f^{}\\[~]|€";

function lengthOf(words) {
  const letters = [...words];
  const foreign = [...new Set(letters.filter((each) => !BASIC.includes(each) && !EXTENSION.includes(each)))];
  const plain = foreign.length === 0;
  const widths = letters.map((each) => (plain ? (EXTENSION.includes(each) ? 2 : 1) : each.length));
  const units = widths.reduce((sum, width) => sum + width, 0);
  const [one, several] = plain ? [160, 153] : [70, 67];
  if (units <= one) return { units, messages: units ? 1 : 0, room: one, foreign };
  let messages = 1, used = 0;
  for (const width of widths) {
    if (used + width > several) { messages += 1; used = 0; }
    used += width;
  }
  return { units, messages, room: several * messages, foreign };
}

function show(field) {
  const meter = field.form?.querySelector("[data-meter]");
  if (!meter) return;
  const { units, messages, room, foreign } = lengthOf(field.value.replaceAll("\r\n", "\n"));
  const cents = Number(field.dataset.cents || 2);
  meter.classList.toggle("more", messages > 1);
  meter.querySelector(".mtr-i").setAttribute("width", Math.min(100, (100 * units) / room));
  const why = foreign.length ? `, ${foreign.slice(0, 5).join(" ")} ${foreign.length === 1 ? "makes" : "make"} it longer` : "";
  meter.querySelector("[data-meter-words]").textContent =
    `${units} of ${room} characters, ${messages} ${messages === 1 ? "message" : "messages"}, ${messages * cents}¢${why}`;
}

function begin() {
  for (const field of document.querySelectorAll("[data-meters]")) show(field);
  const talk = document.getElementById("talk");
  if (talk && talk.closest(".ib-s")) talk.scrollTop = talk.scrollHeight;
}

// A place goes in where the cursor stands.
document.addEventListener("click", (event) => {
  const button = event.target.closest?.("[data-place]");
  if (!button) return;
  const field = document.getElementById(button.closest("[data-places]").dataset.places);
  field.setRangeText(`{${button.dataset.place}}`, field.selectionStart, field.selectionEnd, "end");
  field.focus();
  field.dispatchEvent(new Event("input", { bubbles: true }));
});

document.addEventListener("input", (event) => { if (event.target.matches?.("[data-meters]")) show(event.target); });
document.addEventListener("htmx:load", begin);
begin();
