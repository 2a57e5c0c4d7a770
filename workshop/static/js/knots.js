// The gluing, played: knot after knot along the string, until the last one or a touch.
const SECONDS = 1.7;

export function playKnots() {
  let timer = 0;
  const stop = () => {
    clearInterval(timer);
    timer = 0;
    for (const button of document.querySelectorAll("[data-play=knots]")) button.classList.remove("on");
  };
  const on = () => {
    const knots = [...document.querySelectorAll(".knotline li")];
    const here = knots.findIndex((one) => one.getAttribute("aria-current") === "true");
    if (here < 0 || here === knots.length - 1) return stop();
    knots[here + 1].querySelector("button").click();
  };
  document.body.addEventListener("click", (event) => {
    if (event.target.closest("[data-play=knots]")) {
      if (timer) return stop();
      on();
      timer = setInterval(on, SECONDS * 1000);
      event.target.closest("[data-play=knots]").classList.add("on");
    } else if (event.isTrusted && timer) stop();
  });
  // the knot that is at hand is seen on the string
  const show = () => {
    const here = document.querySelector(".knotline [aria-current=true]");
    const line = here?.parentElement;
    if (line) line.scrollLeft = here.offsetLeft - line.clientWidth / 3;
  };
  document.body.addEventListener("htmx:afterSettle", show);
  show();
}
