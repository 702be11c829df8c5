// Ticking all rows of a list at once; the head's box says whether all, some or none are ticked.
function boxes(head) {
  return [...head.form.querySelectorAll(`input[type=checkbox][name="${head.dataset.tickall}"]`)];
}

function tellHead(head) {
  const every = boxes(head);
  const ticked = every.filter((box) => box.checked).length;
  head.checked = every.length > 0 && ticked === every.length;
  head.indeterminate = ticked > 0 && ticked < every.length;
}

document.addEventListener("change", (event) => {
  const head = event.target.closest?.("[data-tickall]");
  if (head) boxes(head).forEach((box) => { box.checked = head.checked; });
  document.querySelectorAll("[data-tickall]").forEach((each) => tellHead(each));
});

// What is done some at a time goes on by itself once its page is there.
function goOn() {
  const form = document.querySelector("form[data-goes-on]:not([data-gone])");
  if (!form) return;
  form.dataset.gone = "";
  form.requestSubmit();
}
document.addEventListener("htmx:afterSettle", goOn);
goOn();
