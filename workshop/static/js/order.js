// Saying what stands in front of what: a key, then clicks on what is behind, one after the other.
const HINTS = {
  front: "Click what it stands in front of; <kbd>Shift</kbd> means whole parts. <kbd>Esc</kbd> ends it.",
  level: "Click what it is level with; <kbd>Shift</kbd> means whole parts. <kbd>Esc</kbd> ends it.",
};

export function ordering(panel, perform) {
  const { element } = panel;
  const hint = document.getElementById("hint");
  let kind = null;

  function leave() {
    kind = null;
    delete element.dataset.tool;
    hint.hidden = true;
  }

  document.body.addEventListener("click", (event) => {
    const button = event.target.closest("[data-order]");
    if (!button) return;
    kind = kind === button.dataset.order ? null : button.dataset.order;
    if (!kind) return leave();
    element.dataset.tool = "order";
    hint.innerHTML = HINTS[kind];
    hint.hidden = false;
    element.focus({ preventScroll: true });
  });

  const take = (type, act) =>
    element.addEventListener(
      type,
      (event) => {
        if (!kind || panel.spaceHeld || event.button > 0 || event.target.closest("button")) return;
        event.stopImmediatePropagation();
        act(event);
      },
      { capture: true },
    );
  take("pointerdown", () => {});
  take("pointerup", (event) => {
    const behind = panel.at(...panel.toScene(event))?.key;
    if (!behind) return;
    const whole = event.shiftKey ? "yes" : "";
    perform({ verb: "order", behind, ...(whole && { whole }), ...(kind === "level" && { level: "yes" }) });
  });

  document.addEventListener(
    "keydown",
    (event) => {
      if (!kind || event.key !== "Escape") return;
      leave();
      event.preventDefault();
      event.stopImmediatePropagation();
    },
    { capture: true },
  );
}
