// A page is ready once its forms are alive too: the library that sends them looks at the page when all of it is there,
// which may be after the pieces have come. Before that a click would load the page anew.
const whole = new Promise((done) => {
  document.addEventListener("DOMContentLoaded", done, { once: true });
});

export function ready(element) {
  whole.then(() => {
    element.dataset.ready = "yes";
  });
}
