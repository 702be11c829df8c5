// Compare by keys: up and down go from field to field, left and right keep or take, a digit chooses an entry.
function rows() { return [...document.querySelectorAll("[data-compare] [data-field]")]; }

function focusRow(row) {
  row?.querySelector(".cmp-c input:checked")?.focus();
  row?.scrollIntoView({ block: "nearest" });
}

function count() {
  const shown = document.querySelector("[data-count]");
  if (shown) shown.textContent = rows().filter((row) => row.querySelector(".cmp-c [value=take]").checked).length;
}

document.addEventListener("keydown", (event) => {
  if (!document.querySelector("[data-compare]") || event.ctrlKey || event.metaKey || event.altKey) return;
  const all = rows(), at = all.indexOf(document.activeElement?.closest?.("[data-field]"));
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  const typing = document.activeElement?.matches?.("input:not([type=radio]), textarea, select");
  if (step && !typing) {
    event.preventDefault();
    event.stopPropagation();
    focusRow(at < 0 ? all[step > 0 ? 0 : all.length - 1] : all[at + step]);
    return;
  }
  if (/^[1-9]$/.test(event.key) && !typing) {
    const pick = document.querySelector(`[data-compare] [data-digit="${event.key}"]`);
    if (!pick) return;
    event.preventDefault();
    event.stopPropagation();
    const row = pick.closest("[data-field]");
    row.querySelector(".cmp-c [value=take]").checked = true;
    pick.checked = true;
    pick.focus();
    count();
  }
}, true);

document.addEventListener("change", (event) => {
  if (event.target.closest?.("[data-compare]")) count();
});
