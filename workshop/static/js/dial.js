// The dial on the ticket: drag to turn the arrow, let go to keep it.
let turning = null;

function angle(dial, event) {
  const box = dial.getBoundingClientRect();
  const dx = event.clientX - box.left - box.width / 2,
    dy = event.clientY - box.top - box.height / 2;
  return Math.round(((Math.atan2(-dy, dx) * 180) / Math.PI + 360) % 360);
}

document.addEventListener("pointerdown", (event) => {
  const dial = event.target.closest(".dial");
  if (!dial) return;
  dial.setPointerCapture(event.pointerId);
  turning = dial;
});

document.addEventListener("pointermove", (event) => {
  if (!turning) return;
  const degrees = angle(turning, event);
  turning.querySelector(".needle").setAttribute("transform", `rotate(${-degrees} 48 48)`);
  turning.closest("form").elements.deg.value = degrees;
});

document.addEventListener("pointerup", () => {
  if (!turning) return;
  const form = turning.closest("form");
  turning = null;
  form.requestSubmit();
});
