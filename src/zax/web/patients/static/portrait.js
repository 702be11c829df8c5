// A portrait: a picture from a file or the camera, turned and cut on a canvas; the server does the real cutting from the numbers sent along.
const forms = new WeakMap();
const stateOf = (form) => {
  if (!forms.has(form)) forms.set(form, { picture: null, turns: 0, left: 0, top: 0, side: 1000, stream: null });
  return forms.get(form);
};

// The picture as turned, its size, and the square in its points.
function geometry(s) {
  const swap = s.turns % 2 === 1;
  const width = swap ? s.picture.height : s.picture.width;
  const height = swap ? s.picture.width : s.picture.height;
  const side = Math.min(width, height) * s.side / 1000;
  s.left = Math.max(0, Math.min(s.left, 1000 * (width - side) / width));
  s.top = Math.max(0, Math.min(s.top, 1000 * (height - side) / height));
  return { width, height, side, x: width * s.left / 1000, y: height * s.top / 1000 };
}

function draw(form) {
  const s = stateOf(form);
  const canvas = form.querySelector("canvas");
  if (!s.picture) return;
  const g = geometry(s);
  const pen = canvas.getContext("2d");
  const scale = canvas.width / g.side;
  pen.setTransform(1, 0, 0, 1, 0, 0);
  pen.clearRect(0, 0, canvas.width, canvas.height);
  pen.scale(scale, scale);
  pen.translate(-g.x, -g.y);
  pen.translate(g.width / 2, g.height / 2);
  pen.rotate(s.turns * Math.PI / 2);
  pen.drawImage(s.picture, -s.picture.width / 2, -s.picture.height / 2);
  for (const name of ["turns", "left", "top", "side"]) form.elements[name].value = Math.round(s[name]);
  form.querySelector(".stage img")?.remove();
  canvas.hidden = false;
  form.querySelector("video").hidden = true;
  for (const button of form.querySelectorAll("[data-turn], [data-zoom]")) button.disabled = false;
}

async function show(form, blob) {
  const s = stateOf(form);
  try {
    s.picture = await createImageBitmap(blob, { imageOrientation: "from-image" });
  } catch {
    form.querySelector("[data-said]").textContent = "This browser can’t show the picture. You can still save it, cropped in the center.";
    return;
  }
  Object.assign(s, { turns: 0, side: 1000, left: 0, top: 0 });
  const g = geometry(s);
  s.left = 500 * (g.width - g.side) / g.width;
  s.top = 500 * (g.height - g.side) / g.height;
  draw(form);
}

async function camera(form) {
  const said = form.querySelector("[data-said]");
  try {
    stateOf(form).stream = await navigator.mediaDevices.getUserMedia({ video: { width: 1280, height: 960 } });
  } catch {
    said.textContent = "No camera is available here. Allow it in the browser, or choose a file.";
    return;
  }
  const video = form.querySelector("video");
  video.srcObject = stateOf(form).stream;
  video.hidden = false;
  form.querySelector("canvas").hidden = true;
  await video.play();
  // The camera may take a moment to its first picture; there is nothing to take before.
  if (video.readyState < HTMLMediaElement.HAVE_CURRENT_DATA) await new Promise((ready) => video.addEventListener("loadeddata", ready, { once: true }));
  form.querySelector("[data-shoot]").hidden = false;
}

function shoot(form) {
  const video = form.querySelector("video");
  const still = Object.assign(document.createElement("canvas"), { width: video.videoWidth, height: video.videoHeight });
  still.getContext("2d").drawImage(video, 0, 0);
  still.toBlob((blob) => {
    if (!blob) {
      form.querySelector("[data-said]").textContent = "The camera didn’t return a picture. Try again.";
      return;
    }
    const files = new DataTransfer();
    files.items.add(new File([blob], "camera.jpg", { type: "image/jpeg" }));
    form.elements.photo.files = files.files;
    for (const track of stateOf(form).stream.getTracks()) track.stop();
    form.querySelector("[data-shoot]").hidden = true;
    show(form, blob);
  }, "image/jpeg", 0.92);
}

const formOf = (event) => event.target.closest?.("[data-portrait]");

document.addEventListener("change", (event) => {
  const form = formOf(event);
  if (form && event.target.name === "photo" && event.target.files[0]) show(form, event.target.files[0]);
});

document.addEventListener("click", (event) => {
  const form = formOf(event);
  if (!form) return;
  const s = stateOf(form);
  if (event.target.matches("[data-turn]")) { s.turns = (s.turns + 1) % 4; draw(form); }
  if (event.target.matches("[data-zoom]")) { s.side = Math.max(200, Math.min(1000, s.side + Number(event.target.dataset.zoom))); draw(form); }
  if (event.target.matches("[data-camera]")) camera(form);
  if (event.target.matches("[data-shoot]")) shoot(form);
});

function move(form, right, down) {
  const s = stateOf(form);
  const g = geometry(s);
  s.left -= 1000 * right / g.width;
  s.top -= 1000 * down / g.height;
  draw(form);
}

document.addEventListener("pointermove", (event) => {
  const form = formOf(event);
  if (!form || event.buttons !== 1 || !event.target.matches("canvas") || !stateOf(form).picture) return;
  const scale = geometry(stateOf(form)).side / 360;
  move(form, event.movementX * scale, event.movementY * scale);
});

document.addEventListener("keydown", (event) => {
  const form = document.querySelector("[data-portrait]");
  const steps = { ArrowLeft: [1, 0], ArrowRight: [-1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };
  if (!form || !steps[event.key] || !stateOf(form).picture || event.target.matches("input")) return;
  event.preventDefault();
  const step = geometry(stateOf(form)).side / 20;
  move(form, steps[event.key][0] * step, steps[event.key][1] * step);
});
