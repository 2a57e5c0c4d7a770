// The clock of the bench: one for each card, kept on the phone through reloads and restarts. Only one runs.
import { store, stored } from "./bench-log.js";

export class Clock {
  constructor(uid, told) {
    this.name = `ember-clock-${uid}`;
    this.told = told;
    this.state = stored(this.name, { cards: {}, on: "", since: 0, foot: 0 });
    // a foot that was down when the page went is not down any more
    this.state.foot = 0;
    setInterval(() => this.state.on && told(), 500);
    const channel = new BroadcastChannel(`ember-pedal-${uid}`);
    channel.onmessage = (event) => this.press(Boolean(event.data?.down));
    window.addEventListener("keydown", (event) => this.key(event, true));
    window.addEventListener("keyup", (event) => this.key(event, false));
  }

  key(event, down) {
    if (event.key !== "F9" || event.repeat) return;
    event.preventDefault();
    this.press(down);
  }

  // which card the pedal counts for
  of(mark) {
    this.shown = mark;
  }

  card(mark) {
    return this.state.cards[mark] ?? { seconds: 0, sawn: 0, begun: Date.now() };
  }

  runs(mark) {
    return this.state.on === mark;
  }

  begun(mark) {
    return this.card(mark).begun;
  }

  seconds(mark) {
    const running = this.runs(mark) ? Math.max(0, Date.now() - this.state.since) / 1000 : 0;
    return this.card(mark).seconds + running;
  }

  sawn(mark) {
    const down = this.state.foot && this.runs(mark) ? (Date.now() - this.state.foot) / 1000 : 0;
    return this.card(mark).sawn + down;
  }

  keep() {
    store(this.name, this.state);
    this.told();
  }

  start(mark) {
    if (this.runs(mark)) return;
    this.pause();
    this.state.cards[mark] = this.card(mark);
    Object.assign(this.state, { on: mark, since: Date.now() });
    this.keep();
  }

  pause() {
    const { on } = this.state;
    if (!on) return;
    this.lift();
    const seconds = this.seconds(on);
    this.state.cards[on] = { ...this.card(on), seconds };
    Object.assign(this.state, { on: "", since: 0 });
    this.keep();
  }

  toggle(mark) {
    if (this.runs(mark)) this.pause();
    else this.start(mark);
  }

  drop(mark) {
    if (this.runs(mark)) Object.assign(this.state, { on: "", since: 0, foot: 0 });
    delete this.state.cards[mark];
    this.keep();
  }

  // The foot comes down, and the clock of the card that is shown runs; it lifts, and only the sawing stops.
  press(down) {
    if (!down) {
      this.lift();
      this.keep();
    } else if (this.shown && !this.state.foot) {
      this.start(this.shown);
      this.state.foot = Date.now();
      this.keep();
    }
  }

  lift() {
    const { on, foot } = this.state;
    if (!on || !foot) return;
    this.state.cards[on] = { ...this.card(on), sawn: this.sawn(on) };
    this.state.foot = 0;
  }
}
