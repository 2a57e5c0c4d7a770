// A brought drawing with the pieces found in it laid over.
import { Panel } from "./panel.js";
import { hands } from "./hands.js";
import "./said.js";

const element = document.getElementById("panel");
if (element?.dataset.scene) {
  const panel = new Panel(element);
  hands(panel, { turned() {} });
  const picture = new Image();
  picture.src = element.dataset.source;
  Promise.all([fetch(element.dataset.scene).then((answer) => answer.json()), picture.decode().catch(() => null)]).then(([scene]) => {
    if (picture.naturalWidth) panel.scene.underlay = { image: picture, box: scene.underlay };
    panel.show(scene, scene.dress, {});
    document.fonts.ready.then(() => panel.redraw());
    element.dataset.ready = "yes";
  });
  document.body.addEventListener("click", (event) => {
    const zoom = event.target.closest("[data-zoom]");
    if (zoom) zoom.dataset.zoom === "fit" ? panel.fit() : panel.zoom(Number(zoom.dataset.zoom));
  });
}
