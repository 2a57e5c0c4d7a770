// Keys that stand beside verbs: pressing one is pressing the button that carries it.
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || event.target.closest("input, select, textarea, dialog[open]"))
    return;
  // arrows walk through the picture where it has the focus
  if (event.defaultPrevented && event.key.startsWith("Arrow")) return;
  const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
  const button = [...document.querySelectorAll("[data-key]")].find(
    (b) => b.dataset.key === key && !b.disabled && b.offsetParent !== null,
  );
  if (!button) return;
  event.preventDefault();
  button.click();
});
