// What stands beside the card: what is wrong with a part, which part this is, photo and note, read aloud, stay awake,
// and the last that was ticked.
import { store, stored } from "./bench-log.js";
import { keepPhoto, smaller } from "./bench-store.js";

const FIFTY_MM = 50;
const DARK = "This browser lets the screen go dark here: it allows otherwise on https or on this computer.";

export function begin(bench) {
  const { main, pocket, text } = bench;
  const slot = (name) => main.querySelector(`[data-slot=${name}]`);
  const element = (tag, words, more = {}) => Object.assign(document.createElement(tag), { textContent: words }, more);

  function showBroke() {
    const { card } = bench,
      piece = pocket.pieces[bench.piece(card)];
    slot("broken").textContent = piece[0];
    slot("hows").replaceChildren(
      ...pocket.mends[piece[3]].map(([how, what, why, lines]) => {
        const box = element("details", "", { name: "how" });
        const mend = { glue: "Glue it", patch: "Patch it" }[what];
        const words = element("p", "");
        words.append(element("b", `${mend ?? "Make it again"}: `), `${text(why)}.`);
        const list = element("ol", "");
        list.append(...lines.map((line) => element("li", text(line))));
        box.append(element("summary", pocket.hows[how]), words, ...(lines.length ? [list] : []));
        const button = (words, className, what) => {
          const made = element("button", words, { className, type: "button" });
          made.addEventListener("click", () => bench.broke(what, how, bench.view.spot));
          box.append(made);
        };
        if (mend) button("It is mended", "done-btn", "mended");
        button(mend ? "make it again after all" : "Make it again", mend ? "second" : "done-btn", "broke");
        return box;
      }),
    );
  }

  // which part this is
  function found(key) {
    bench.view.found = key && pocket.pieces[key] ? key : 0;
    bench.view.showAll(key ? pocket.pieces[key][2] : undefined);
    const piece = pocket.pieces[key];
    const own = (place) => piece && bench.piece(bench.cards.cards[place]) === key;
    const places = [...bench.cards.cards.keys()].filter(own);
    const rows = places.map((place) => {
      const row = element("li", ""),
        button = element("button", text(bench.cards.cards[place].title), { type: "button" });
      button.addEventListener("click", () => bench.go(place));
      const copy = bench.cards.cards[place].parts[0].split("/")[1];
      row.append(button, `${copy ? `copy ${copy}, ` : ""}${bench.left.has(place) ? "to do" : "done"}`);
      return row;
    });
    slot("itscards").replaceChildren(...(piece ? [element("li", `${piece[0]}: ${text(piece[1])}`), ...rows] : []));
  }
  slot("number").addEventListener("input", () => {
    const asked = slot("number").value.trim();
    const key = Number(Object.keys(pocket.pieces).find((key) => String(pocket.pieces[key][0]) === asked) ?? 0);
    found(key);
    if (asked && !key) slot("itscards").replaceChildren(element("li", `No piece here has the number ${asked}.`));
  });
  function showFind() {
    slot("layers").replaceChildren(
      ...(pocket.layers.length > 1 ? pocket.layers : []).map((layer, i) => {
        const button = element("button", layer.name || `layer ${i + 1}`, { type: "button" });
        button.setAttribute("aria-pressed", String(layer.key === bench.view.layer));
        button.addEventListener("click", () => {
          bench.view.showAll(layer.key);
          showFind();
        });
        return button;
      }),
    );
  }

  // how large this screen is
  function showSize() {
    const px = FIFTY_MM * bench.view.pxPerMm;
    slot("fifty").setAttribute("width", px.toFixed(1));
    slot("fifty").firstElementChild.setAttribute("d", `M1 2V24M${px - 1} 2V24M1 13H${px - 1}`);
    slot("pull").value = bench.view.pxPerMm;
  }
  slot("pull").addEventListener("input", () => {
    bench.view.pxPerMm = Number(slot("pull").value);
    showSize();
    bench.view.focus();
  });
  slot("size").addEventListener("click", () => bench.to("size"));

  // the last that was ticked
  function showLast() {
    const { last } = bench;
    slot("last").hidden = !last;
    if (!last) return;
    const key = `${last.step}|${last.part}`;
    const card = bench.cards.cards.find((one) => one.marks.includes(key));
    const words = { done: "done", broke: pocket.hows[last.why] ?? "broke", mended: "mended" }[last.what];
    const minutes = last.minutes ? `, ${Math.round(last.minutes * 10) / 10} min` : "";
    const who = last.who ? `, ${last.who}` : "";
    slot("lastwords").textContent = `${card ? text(card.title) : last.step}: ${words}${minutes}${who}`;
    slot("correcting").hidden = last.what !== "done" || !last.mine;
    if (document.activeElement !== slot("corrected"))
      slot("corrected").value = last.minutes ? Math.round(last.minutes * 10) / 10 : "";
  }
  main.querySelector("[data-does=correct]").addEventListener("click", () => {
    const minutes = Number(slot("corrected").value.replace(",", "."));
    if (!(minutes > 0 && minutes <= 720)) {
      bench.sending.tell("From a moment to 12 hours can be one card's time: write minutes, like 7.5.");
      return;
    }
    const { last } = bench,
      waiting = bench.log.waiting;
    const own = waiting.find((entry) => entry.id === last.name);
    if (own?.tried === false) {
      own.minutes = minutes;
      bench.log.waiting = waiting;
    } else bench.log.write({ what: "time", of: last.name, minutes });
    const known = bench.log.events.get(last.name);
    if (known) known[5] = minutes;
    bench.sending.soon();
    showLast();
  });

  // photo and note
  slot("photo").addEventListener("change", async (event) => {
    const [file] = event.target.files;
    event.target.value = "";
    if (!file) return;
    const { card } = bench,
      step = card ? bench.cards.steps[card.step] : null;
    const blob = await smaller(file);
    const count = stored("ember-count", 0) + 1;
    store("ember-count", count);
    const id = `${bench.log.phone}-${count.toString(36)}`;
    const of = { step: step ? (step.each ? step.verb : step.key) : "", part: card?.each ? card.parts[0] : "" };
    try {
      await keepPhoto({ id, uid: pocket.uid, ...of, blob });
    } catch {
      bench.sending.tell("This browser has no room for the photo, or keeps none here.");
      return;
    }
    bench.sending.tell("The photo is kept with this card.");
    bench.sending.soon();
  });
  main.querySelector("[data-open=noting]").addEventListener("click", () => {
    slot("noting").hidden = !slot("noting").hidden;
    if (!slot("noting").hidden) slot("note").focus();
  });
  slot("noting").addEventListener("submit", (event) => {
    event.preventDefault();
    const words = slot("note").value.trim();
    if (words && bench.card) bench.write("note", bench.card, { text: words.slice(0, 500) });
    slot("note").value = "";
    slot("noting").hidden = true;
    bench.sending.soon();
  });

  // who stands there
  slot("who").replaceChildren(
    ...pocket.people.map(
      (name) => new Option(name || "the workshop's own", name, false, name === stored("ember-who", "")),
    ),
  );
  slot("whose").hidden = pocket.people.length < 2;
  slot("who").addEventListener("change", () => store("ember-who", slot("who").value));

  // read aloud, while it is wished
  let aloud = false;
  function spoken() {
    if (!aloud || !bench.card) return;
    const { card } = bench,
      piece = pocket.pieces[bench.piece(card)];
    speechSynthesis.cancel();
    const words = [text(card.title), piece ? text(piece[1]) : "", ...card.lines.map(text), text(card.caution)];
    speechSynthesis.speak(new SpeechSynthesisUtterance(words.filter(Boolean).join(". ")));
  }
  slot("speak").hidden = !("speechSynthesis" in window);
  slot("speak").addEventListener("click", () => {
    aloud = !aloud;
    slot("speak").setAttribute("aria-pressed", String(aloud));
    if (aloud) spoken();
    else speechSynthesis.cancel();
  });

  // the screen stays on, while it is wished and the page is seen
  let lock = null,
    awake = false;
  async function hold() {
    try {
      lock = awake && !document.hidden ? await navigator.wakeLock.request("screen") : null;
    } catch {
      lock = null;
      awake = false;
      bench.sending?.tell(DARK);
    }
    slot("awake").setAttribute("aria-pressed", String(awake));
  }
  slot("awake").addEventListener("click", async () => {
    awake = !awake;
    if (!awake) {
      await lock?.release();
      slot("awake").setAttribute("aria-pressed", "false");
    } else if ("wakeLock" in navigator) await hold();
    else {
      awake = false;
      bench.sending.tell(DARK);
    }
  });
  document.addEventListener("visibilitychange", () => awake && hold());

  return {
    found,
    spoken,
    last: showLast,
    show(screen) {
      slot("beside").hidden = !["card", "alldone"].includes(screen);
      if (screen === "broke" && bench.card) showBroke();
      if (screen === "find") {
        showFind();
        found(bench.piece(bench.card ?? { each: 0 }) || 0);
      }
      if (screen === "size") showSize();
      showLast();
    },
  };
}
