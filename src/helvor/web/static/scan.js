// The code that is printed on a vessel's label, read with the tablet's camera. Where the address is not a secure one
// no page may use the camera itself: then the camera's own photograph of the label is read.
let decoder = null;

async function decode(picture) {
  if (!decoder) {
    await import(document.getElementById("scan").dataset.decoder);
    decoder = window.jsQR;
  }
  return decoder(picture.data, picture.width, picture.height)?.data ?? "";
}

// A label holds the address of its vessel; the reading line takes the four letters of it.
function codeIn(text) {
  const found = /[?&]code=([A-Za-z0-9]{4})\b/.exec(text) ?? /^([A-Za-z0-9]{4})$/.exec(text.trim());
  return found ? found[1].toUpperCase() : "";
}

const LONGEST = 900;

function pixelsOf(source, width, height) {
  const scale = Math.min(1, LONGEST / Math.max(width, height));
  const canvas = document.createElement("canvas");
  canvas.width = Math.round(width * scale);
  canvas.height = Math.round(height * scale);
  const pen = canvas.getContext("2d", { willReadFrequently: true });
  pen.drawImage(source, 0, 0, canvas.width, canvas.height);
  return pen.getImageData(0, 0, canvas.width, canvas.height);
}

async function fromPhotograph(file) {
  const bitmap = await createImageBitmap(file);
  try {
    return codeIn(await decode(pixelsOf(bitmap, bitmap.width, bitmap.height)));
  } finally {
    bitmap.close();
  }
}

// Looks until a code is seen or the window is closed; the camera is let go of in either case.
async function fromCamera(view, window_) {
  const stream = await navigator.mediaDevices.getUserMedia({ video: { facingMode: "environment" } });
  try {
    view.srcObject = stream;
    await view.play();
    while (window_.open) {
      if (view.videoWidth) {
        const code = codeIn(await decode(pixelsOf(view, view.videoWidth, view.videoHeight)));
        if (code) return code;
      }
      await new Promise((soon) => setTimeout(soon, 120));
    }
    return "";
  } finally {
    stream.getTracks().forEach((track) => track.stop());
    view.srcObject = null;
  }
}

export function watchScan({ complete, say }) {
  const dialog = document.getElementById("scan");
  if (!dialog) return;
  const trouble = dialog.querySelector("[role=status]");
  const take = (code) => {
    dialog.close();
    complete(`${code} `);
    say(`Read: ${code}.`);
  };
  document.addEventListener("click", async (event) => {
    if (!event.target.closest("[data-scans]")) return;
    trouble.textContent = "";
    dialog.showModal();
    if (!navigator.mediaDevices?.getUserMedia) return;
    try {
      const code = await fromCamera(dialog.querySelector("video"), dialog);
      if (code) take(code);
    } catch {
      trouble.textContent = "The camera cannot be used here: photograph the label instead, or type its four letters.";
    }
  });
  dialog.querySelector("input[type=file]").addEventListener("change", async ({ target }) => {
    const [file] = target.files;
    target.value = "";
    if (!file) return;
    try {
      const code = await fromPhotograph(file);
      if (code) take(code);
      else trouble.textContent = "No code is seen in this picture: go nearer, or type the four letters below it.";
    } catch {
      trouble.textContent = "This file is no picture: photograph the label, or type its four letters.";
    }
  });
}
