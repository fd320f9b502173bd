// The class board follows what is written anywhere in the class, within a second.
let source = null;

// What somebody is typing is not swapped away under their hands; it is caught up with afterwards.
function busy() {
  return document.activeElement?.matches?.("#main input, #main select, #main textarea") ?? false;
}

function refresh() {
  if (busy()) {
    document.activeElement.addEventListener("blur", refresh, { once: true });
    return;
  }
  htmx.ajax("GET", location.pathname + location.search, { source: "#main", target: "#main", select: "#main", swap: "outerMorph" });
}

function said(words, on) {
  const mark = document.getElementById("live");
  if (!mark) return;
  mark.textContent = words;
  mark.classList.toggle("is-on", on);
}

export function watchBoard() {
  const address = document.getElementById("main")?.dataset.live;
  if (!address || !window.EventSource) return;
  source = new EventSource(address);
  source.onopen = () => said("live", true);
  source.onerror = () => said("connection lost, trying again", false);
  source.onmessage = (event) => {
    said("live", true);
    if (event.data !== document.getElementById("main").dataset.seen) refresh();
  };
  document.addEventListener("htmx:after:swap", () => said("live", source.readyState === EventSource.OPEN));
  addEventListener("pagehide", () => source.close());
}
