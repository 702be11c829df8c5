// The newest of what was said stands in sight.
function begin() {
  const talk = document.getElementById("talk");
  if (talk && talk.closest(".ib-s")) talk.scrollTop = talk.scrollHeight;
}

document.addEventListener("htmx:load", begin);
begin();
