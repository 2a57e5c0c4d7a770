// The bench: one card at a time, from what the page holds. It goes on without the workshop; what is done is written on
// the phone first, and sent when somebody answers.
import { begin as beginBeside } from "./bench-beside.js";
import { Clock } from "./bench-clock.js";
import { BenchLog, Cards, keyOf, store, stored } from "./bench-log.js";
import { BenchView } from "./bench-view.js";
import { begin as beginSending } from "./bench-sending.js";

const main = document.getElementById("bench");
const pocket = JSON.parse(document.getElementById("pocket").textContent);
const slot = (name) => main.querySelector(`[data-slot=${name}]`);

const DONE_WORDS = { saw: "Sawn", "saw inside": "Sawn", shape: "Shaped", glue: "Down" };
const MOST_TICKS = 60;
const LONGEST_S = 12 * 3600;

// a sentence out of its mould
const moulds = pocket.moulds;
function text(number) {
  const row = pocket.texts[number];
  if (typeof row === "number") return moulds[row];
  let at = 0;
  return moulds[row[0]].replace(/\ue000/g, () => row[++at]);
}

class Bench {
  constructor() {
    this.pocket = pocket;
    this.main = main;
    this.text = text;
    this.log = new BenchLog(pocket);
    this.cards = new Cards(pocket);
    this.clock = new Clock(pocket.uid, () => this.tellTime());
    this.view = new BenchView(slot("view"), pocket, this);
    this.offName = `ember-off-${pocket.uid}`;
    this.off = new Set(stored(this.offName, []));
    this.screen = "card";
    this.asked = this.askedFor();
    this.pages = beginBeside(this);
    this.refresh();
    this.sending = beginSending(this);
  }

  // the card that a link asks for
  askedFor() {
    const asked = new URLSearchParams(location.search);
    const key = keyOf(asked.get("step") ?? "", asked.get("part") ?? "");
    return this.cards.cards.findIndex((card) => card.marks.includes(key));
  }

  piece(card) {
    const name = card.each ? card.parts[0].split("/")[0] : "";
    return /^\d+$/.test(name) ? this.pocket.pieces[name] && Number(name) : 0;
  }

  // What is done may have changed: what is left, and which card is due.
  refresh() {
    this.done = this.log.done();
    this.left = this.cards.left(this.done);
    if (!(this.asked >= 0)) this.asked = -1;
    this.place = this.asked >= 0 ? this.asked : this.cards.next(this.left, this.off);
    this.show();
  }

  // Others did something, or what was written here was taken: the card under the hand stays as long as it is left.
  heard() {
    const { card, place, screen } = this;
    this.done = this.log.done();
    this.left = this.cards.left(this.done);
    const ran = card ? this.clock.seconds(card.marks[0]) : 0;
    if (screen === "card" && card && !this.left.has(place) && this.asked !== place && ran) {
      this.clock.pause();
      this.sending?.tell(`${text(card.title)} was ticked elsewhere; your clock stands at ${clockWords(ran)}.`);
    }
    if (screen === "card" && (!card || !(this.left.has(place) || this.asked === place))) this.refresh();
    else this.showBeside();
  }

  showBeside() {
    this.drawRule();
    if (!this.card) return;
    const after = this.following();
    slot("following").textContent = after ? `next: ${text(after.title)}` : "the last card";
    this.pages.last();
  }

  go(place) {
    this.asked = place;
    this.screen = "card";
    this.refresh();
    window.scrollTo(0, 0);
  }

  get card() {
    return this.cards.cards[this.place];
  }

  to(screen) {
    this.screen = screen;
    this.show();
    window.scrollTo(0, 0);
  }

  show() {
    const over = this.place < 0;
    const screen = over && this.screen === "card" ? "alldone" : this.screen;
    for (const part of main.querySelectorAll("[data-screen]")) part.hidden = part.dataset.screen !== screen;
    main.dataset.shows = screen;
    slot("viewed").hidden = screen === "alldone";
    this.drawRule();
    if (over) this.showEnd();
    else if (screen === "card") this.showCard();
    this.view.show(screen, this.card);
    this.pages.show(screen);
    main.dataset.ready = "yes";
  }

  showEnd() {
    const any = this.cards.cards.length;
    slot("alltitle").textContent = any ? "Every card is done." : "No cards yet.";
    slot("allwords").textContent = any
      ? "Hang it, photograph it, and see in the log what it took."
      : "Give the pieces their woods first.";
    slot("place").textContent = "";
  }

  drawRule() {
    const total = this.cards.cards.length,
      done = total - this.left.size;
    const count = Math.min(total, MOST_TICKS) || 1,
      here = (done * count) / Math.max(total, 1);
    const x = (i) => (3 + (i * 348) / count).toFixed(1);
    const paths = { left: "", past: "" };
    for (let i = 0; i <= count; i += 1)
      paths[i < here ? "past" : "left"] += `M${x(i)} 0V${i % 10 === 0 ? 15 : i % 5 === 0 ? 11 : 7}`;
    for (const [name, d] of Object.entries(paths)) slot("rule").querySelector(`.${name}`).setAttribute("d", d);
    slot("rule").querySelector(".here").setAttribute("d", total ? `M${x(here)} 0V21` : "");
    slot("rule").querySelector(".bead").setAttribute("cx", total ? x(here) : -9);
    slot("rule").setAttribute("aria-label", `${done} of ${total} cards done`);
  }

  showCard() {
    const { card } = this,
      step = this.cards.steps[card.step],
      key = this.piece(card),
      piece = pocket.pieces[key];
    const alike = this.cards.cards.filter((other) => other.step === card.step);
    const place = slot("place");
    place.innerHTML = "<b></b>";
    place.firstChild.textContent = alike.indexOf(card) + 1;
    place.prepend(`${step.verb} `);
    place.append(` of ${alike.length}`);
    slot("title").textContent = text(card.title);
    slot("about").textContent = piece ? text(piece[1]) : "";
    slot("copy").hidden = !(pocket.copies > 1 && card.copy);
    slot("copy").textContent = `${card.copy} of ${pocket.copies}`;
    slot("lines").replaceChildren(
      ...card.lines.map((line) => {
        const item = document.createElement("li");
        item.textContent = text(line);
        return item;
      }),
    );
    slot("caution").textContent = text(card.caution);
    slot("fitting").hidden = step.verb !== "fit";
    slot("canbreak").disabled = !key;
    slot("verb").textContent = DONE_WORDS[step.verb] ?? "Done";
    const after = this.following();
    slot("following").textContent = after ? `next: ${text(after.title)}` : "the last card";
    this.showRemake(card, key, piece);
    slot("estimate").textContent = `of about ${text(card.takes)}`;
    slot("under").textContent = card.sawn ? `blade ${text(card.sawn[0])}` : "";
    this.clock.of(card.marks[0]);
    this.tellTime();
    this.hideAsks();
    slot("fresh").hidden = !this.wears;
    slot("fresh").textContent = this.wears === "blade" ? "new blade" : "new sheet";
  }

  following() {
    const done = new Set(this.done);
    this.card.marks.forEach((mark) => done.add(mark));
    const place = this.cards.next(this.cards.left(done), this.off);
    return place >= 0 ? this.cards.cards[place] : null;
  }

  showRemake(card, key, piece) {
    const broke = key && this.log.all().findLast((e) => e.what === "broke" && e.part === card.parts[0]);
    slot("remake").hidden = !broke;
    slot("fromboard").hidden = true;
    if (!broke) return;
    const [lines, boards] = pocket.remakes[piece[4]];
    slot("why").textContent = `A remake${broke.why ? `: ${pocket.hows[broke.why]}` : ""}.`;
    slot("again").textContent = lines.map((line) => `${text(line)}.`).join(" ");
    slot("print").href = main.dataset.print + encodeURIComponent(card.parts[0]);
    if (card.verb !== "saw" || !boards.length) return;
    slot("fromboard").hidden = false;
    const offers = boards.map(([name, apart]) => {
      const words =
        name === piece[5] ? ", the same" : apart == null ? ", hold it against the old one" : `, ${apart} off`;
      return new Option(name + words, name, false, name === piece[5]);
    });
    slot("boards").replaceChildren(...(piece[5] ? [] : [new Option("not noted", "")]), ...offers);
  }

  // The clock, and whether it asks.
  tellTime() {
    const { card } = this;
    if (!card) return;
    const seconds = this.clock.seconds(card.marks[0]);
    slot("time").textContent = clockWords(seconds);
    slot("time").dataset.running = this.clock.runs(card.marks[0]) ? "yes" : "";
    slot("clock").textContent = this.clock.runs(card.marks[0]) ? "pause" : "start";
    slot("time").dataset.long = this.doubtful ? "yes" : "";
    const sawn = this.clock.sawn(card.marks[0]);
    if (sawn) slot("under").textContent = `foot on the switch ${clockWords(sawn)}`;
  }

  get doubtful() {
    return this.clock.seconds(this.card.marks[0]) > 2 * 60 * this.card.minutes;
  }

  hideAsks() {
    slot("asks").hidden = true;
    slot("asked").textContent = "";
    for (const choice of slot("asks").querySelectorAll("[name=took]")) choice.checked = false;
  }

  ask() {
    const seconds = this.clock.seconds(this.card.marks[0]);
    slot("asks").hidden = false;
    slot("believe").hidden = seconds > LONGEST_S;
    this.untimed = this.tickedMeanwhile();
    slot("sharing").hidden = !this.untimed.length;
    slot("shared").textContent = `share it with ${this.untimed.length} ticked meanwhile without a clock`;
    slot("asks").scrollIntoView({ block: "center" });
  }

  // What this phone ticked since the clock began, without a time of its own.
  tickedMeanwhile() {
    const since = this.clock.begun(this.card.marks[0]);
    const untimed = (e) => e.what === "done" && !e.minutes && !e.name.includes("+");
    return this.log.all().filter((e) => e.mine && e.at >= since && untimed(e));
  }

  // What the person says of a clock that asks: minutes, or a sentence to be shown.
  told() {
    const took = slot("asks").querySelector("[name=took]:checked")?.value;
    const all = this.clock.seconds(this.card.marks[0]) / 60;
    if (took === "all") return { minutes: all };
    if (took === "none") return { minutes: null };
    if (took === "shared") return { minutes: this.shareOf(all) };
    const typed = Number(slot("typed").value.trim().replace(",", ".").replace(/\s*min$/, ""));
    if (took === "typed" || slot("typed").value.trim()) {
      if (typed > 0 && typed <= LONGEST_S / 60) return { minutes: typed };
      return { problem: "From a moment to 12 hours can be one card's time: write minutes, like 7.5." };
    }
    return { problem: "Say how long it really took." };
  }

  // A clock that ran over several cards: each gets its share by what it was to take.
  shareOf(all) {
    const cards = this.untimed.map((e) => this.cards.cards.find((card) => card.marks.includes(keyOf(e.step, e.part))));
    const total = this.card.minutes + cards.reduce((sum, card) => sum + (card?.minutes ?? 0), 0);
    this.untimed.forEach((e, i) => {
      const minutes = (all * (cards[i]?.minutes ?? 0)) / total;
      if (minutes > 0) this.log.write({ what: "time", of: e.name, minutes });
    });
    return (all * this.card.minutes) / total;
  }

  tick() {
    const { card } = this,
      mark = card.marks[0],
      ran = this.clock.seconds(mark);
    let minutes = ran ? ran / 60 : null;
    if (this.doubtful) {
      if (slot("asks").hidden) return this.ask();
      const told = this.told();
      slot("asked").textContent = told.problem ?? "";
      if (told.problem) return undefined;
      minutes = told.minutes;
    }
    const sawn = this.clock.sawn(mark);
    const board = slot("fromboard").hidden ? "" : slot("boards").value;
    if (!this.write("done", card, { minutes, sawn: sawn || null, board })) return undefined;
    this.clock.drop(mark);
    this.off.delete(mark);
    return this.onward();
  }

  write(what, card, more = {}) {
    const step = this.cards.steps[card.step];
    const told = { what, step: card.each ? step.verb : step.key, parts: card.each ? card.parts : [""], ...more };
    try {
      return this.log.write(told);
    } catch {
      const words = "This phone has no room left to write it down. Free some, or send what waits; nothing was kept.";
      this.sending?.tell(words);
      return null;
    }
  }

  onward() {
    store(this.offName, [...this.off]);
    this.asked = -1;
    this.screen = "card";
    if (location.search) history.replaceState(null, "", location.pathname);
    this.refresh();
    window.scrollTo(0, 0);
    this.sending?.soon();
    this.pages.spoken();
  }

  skip() {
    this.off.add(this.card.marks[0]);
    this.onward();
  }

  before() {
    if (this.place > 0) this.go(this.place - 1);
  }

  broke(what, how, spot) {
    const [x, y] = spot ?? [null, null];
    if (!this.write(what, this.card, { why: how, x, y })) return;
    this.clock.drop(this.card.marks[0]);
    this.onward();
  }

  // A fresh blade, or sheet of sandpaper, is taken.
  get wears() {
    return this.card.sawn ? "blade" : this.card.verb === "shape" ? "paper" : "";
  }

  fresh() {
    this.write(this.wears, this.card, { text: this.wears === "blade" ? text(this.card.sawn[0]) : "" });
    this.sending?.tell(this.wears === "blade" ? "A new blade is noted." : "A new sheet is noted.");
    this.sending?.soon();
  }

  // The last that this phone wrote, or anybody.
  get last() {
    const all = this.log.all().filter((e) => ["done", "broke", "mended"].includes(e.what));
    return all.findLast((e) => e.mine) ?? all.at(-1);
  }

  undo() {
    const { last } = this;
    if (!last) return;
    const name = last.name.split("+")[0];
    if (!this.log.drop(name)) this.log.write({ what: "undo", of: name });
    this.off.delete(keyOf(last.step, last.part));
    const place = this.cards.cards.findIndex((card) => card.marks.includes(keyOf(last.step, last.part)));
    this.sending?.soon();
    this.go(place);
  }
}

function clockWords(seconds) {
  const now = Math.floor(seconds),
    two = (n) => String(n).padStart(2, "0");
  const hours = Math.floor(now / 3600),
    minutes = Math.floor(now / 60) % 60;
  return hours ? `${hours}:${two(minutes)}:${two(now % 60)}` : `${minutes}:${two(now % 60)}`;
}

const bench = new Bench();
window.emberBench = bench;
main.addEventListener("click", (event) => {
  const button = event.target.closest("button");
  if (!button) return;
  const { does, screenTo } = button.dataset;
  if (screenTo) bench.to(screenTo);
  if (does === "done") bench.tick();
  if (does === "skip") bench.skip();
  if (does === "before") bench.before();
  if (does === "undo") bench.undo();
  if (does === "fresh") bench.fresh();
  if (does === "clock") bench.clock.toggle(bench.card.marks[0]);
});
slot("typed").addEventListener("input", () => {
  main.querySelector("[name=took][value=typed]").checked = true;
});
