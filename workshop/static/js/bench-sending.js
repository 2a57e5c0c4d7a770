// Sends what the phone wrote down, hears what others did, and keeps the page for when nobody answers.
import { dropPhoto, photosOf } from "./bench-store.js";

const EVERY_MS = 1100,
  ALONE_MS = 3000;

export function begin(bench) {
  const { main, log, pocket } = bench;
  const slot = (name) => main.querySelector(`[data-slot=${name}]`);
  let token = main.dataset.token,
    timer = 0,
    alone = false,
    photos = 0,
    busy = false;

  async function post(url, body, headers = {}) {
    const options = { method: "POST", body, headers: { ...headers, "X-CSRFToken": token }, credentials: "same-origin" };
    let answer = await fetch(url, options);
    if (answer.status === 403) {
      // the page is older than the browser's key to the workshop: a fresh page has the new one
      const page = await fetch(location.pathname, { cache: "reload" });
      token = (await page.text()).match(/data-token="([^"]+)"/)?.[1] ?? token;
      options.headers["X-CSRFToken"] = token;
      answer = await fetch(url, options);
    }
    if (answer.redirected || answer.status === 403) throw new Error("signed out");
    return answer;
  }

  async function ask(told) {
    const answer = await post(main.dataset.sync, JSON.stringify(told), { "Content-Type": "application/json" });
    if (!answer.ok) throw new Error(`answered ${answer.status}`);
    return answer.json();
  }

  async function sendPhotos() {
    // a browser that keeps no photos has none to send
    const waiting = await photosOf(pocket.uid).catch(() => []);
    photos = waiting.length;
    for (const { id, step, part, blob } of waiting) {
      const form = new FormData();
      for (const [key, value] of Object.entries({ id, step, part })) form.append(key, value);
      form.append("photo", blob, "bench.jpg");
      const answer = await post(main.dataset.photo, form);
      if (answer.status >= 500) break;
      if (!answer.ok) {
        const words = new DOMParser().parseFromString(await answer.text(), "text/html").querySelector("#said");
        tell(words?.textContent.trim() || "A photo could not be kept: it is no picture.");
      }
      await dropPhoto(id);
      photos -= 1;
    }
  }

  function tell(words) {
    const item = document.createElement("p");
    const away = document.createElement("button");
    away.type = "button";
    away.textContent = "read";
    away.addEventListener("click", () => item.remove());
    item.append(words, away);
    slot("told").append(item);
  }

  function showSending(words = "") {
    const ticks = log.waiting.length,
      count = ticks + photos;
    const line = slot("sending");
    const entries = ticks && `${ticks} ${ticks === 1 ? "entry" : "entries"}`;
    const what = [entries, photos && `${photos} photo${photos > 1 ? "s" : ""}`];
    const kept = count ? `${what.filter(Boolean).join(", ")} on this phone, sent when it answers.` : "";
    line.textContent = [words || (alone ? "The workshop does not answer; go on." : ""), alone || words ? kept : ""]
      .filter(Boolean)
      .join(" ");
    line.hidden = !line.textContent;
    main.dataset.waiting = String(count);
    main.dataset.alone = alone ? "yes" : "";
  }

  async function round() {
    clearTimeout(timer);
    if (busy) return;
    busy = true;
    let words = "";
    try {
      const heard = await log.send(ask);
      await sendPhotos();
      alone = false;
      heard?.told.forEach(tell);
      if (heard?.changed) bench.heard();
      if (heard && heard.revision !== pocket.revision && !main.dataset.stale) {
        main.dataset.stale = "yes";
        tell("The work was changed since this page came: open it again for the new cards.");
      }
    } catch (problem) {
      alone = problem.message !== "signed out";
      if (!alone) words = "You were signed out: sign in again on any page. Nothing is lost.";
    } finally {
      busy = false;
      showSending(words);
      timer = setTimeout(round, document.hidden || alone ? ALONE_MS : EVERY_MS);
    }
  }

  // The drawings of the cards come after the page.
  async function drawings() {
    for (const url of pocket.loads) {
      try {
        const answer = await fetch(url);
        if (answer.ok) bench.view.more(await answer.json());
      } catch {
        break;
      }
    }
    main.dataset.drawn = "yes";
  }

  // What the page is made of, kept by the worker where the browser has one.
  async function keep() {
    if (!("serviceWorker" in navigator)) return false;
    try {
      await navigator.serviceWorker.register(main.dataset.worker, { scope: "/" });
      const { active } = await navigator.serviceWorker.ready;
      const pages = [location.pathname, document.querySelector("link[rel=manifest]").href];
      const files = performance.getEntriesByType("resource").map(({ name }) => name);
      const worn = new Set(Object.values(pocket.dress).map(([wood]) => pocket.woods[wood]?.tile));
      const tiles = Object.values(pocket.woods).map(({ tile }) => tile);
      const faces = tiles.filter((tile) => worn.has(tile) || !tile.startsWith("/static/"));
      const own = files.filter((name) => name.includes("/static/"));
      const kept = new MessageChannel();
      return await new Promise((done) => {
        kept.port1.onmessage = () => done(true);
        active.postMessage({ keep: [...new Set([...pages, ...own, ...faces, ...pocket.loads])] }, [kept.port2]);
      });
    } catch {
      // without it the page lasts as long as it stays open
      return false;
    }
  }

  async function carry() {
    drawings();
    main.dataset.kept = (await keep()) ? "yes" : "no";
    slot("keeps").hidden = main.dataset.kept === "yes";
  }

  window.addEventListener("online", round);
  document.addEventListener("visibilitychange", () => document.hidden || round());
  round();
  setTimeout(carry, 300);
  return {
    soon() {
      showSending();
      clearTimeout(timer);
      timer = setTimeout(round, 50);
    },
    tell,
  };
}
