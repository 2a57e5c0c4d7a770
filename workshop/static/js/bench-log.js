// What was done at the bench, as this phone knows it: what the workshop told, and what it wrote down itself and has not
// been able to send. Nothing here touches the page.
const SENT_AT_ONCE = 60;

const stored = (name, usual) => {
  try {
    return JSON.parse(localStorage.getItem(name)) ?? usual;
  } catch {
    return usual;
  }
};
export const store = (name, value) => localStorage.setItem(name, JSON.stringify(value));
// what the workshop knows as well: a phone that is full does without
const storeIfRoom = (name, value) => {
  try {
    store(name, value);
  } catch {
    localStorage.removeItem(name);
  }
};
export { stored };

// a name for this phone, made once
function phone() {
  let name = stored("ember-phone", "");
  if (!name) {
    const bytes = crypto.getRandomValues(new Uint8Array(6));
    name = [...bytes].map((b) => b.toString(36).padStart(2, "0").slice(-2)).join("");
    store("ember-phone", name);
  }
  return name;
}

export const keyOf = (step, part) => `${step}|${part}`;

export class BenchLog {
  constructor(pocket) {
    this.place = `ember-bench-${pocket.uid}`;
    this.phone = phone();
    this.pocket = pocket;
    this.events = new Map();
    this.gone = new Set();
    this.cursor = [0, 0];
    this.take(pocket.log);
    this.catchUp();
    this.sending = false;
  }

  // What waits to be sent; read anew each time, since another window of this phone writes there too.
  get waiting() {
    return stored(this.place, []);
  }

  // Raises where the phone has no room left; what only repeats the workshop makes room first.
  set waiting(entries) {
    try {
      store(this.place, entries);
    } catch {
      localStorage.removeItem(`${this.place}-heard`);
      store(this.place, entries);
    }
  }

  // An entry that was never on its way can be dropped; of any other the workshop may know.
  drop(name) {
    const entries = this.waiting;
    if (entries.find((entry) => entry.id === name)?.tried !== false) return false;
    this.waiting = entries.filter((entry) => entry.id !== name && entry.of !== name);
    return true;
  }

  write(entry) {
    const count = stored("ember-count", 0) + 1;
    store("ember-count", count);
    const name = { id: `${this.phone}-${count.toString(36)}`, at: Date.now(), who: stored("ember-who", "") };
    const made = { ...name, ...entry, tried: false };
    for (const key of Object.keys(made)) if (made[key] === "" || made[key] == null) delete made[key];
    this.waiting = [...this.waiting, made];
    return made;
  }

  // The page may be older than what this phone heard since: it was kept for when the workshop does not answer.
  catchUp() {
    this.heard = { events: [], gone: [], cursor: this.cursor };
    const known = stored(`${this.place}-heard`, this.heard);
    const newer = known.cursor.some((at, i) => at > this.cursor[i]);
    if (newer) this.hear(known);
    else localStorage.removeItem(`${this.place}-heard`);
  }

  hear(answer) {
    this.take(answer);
    if (!answer.events.length && !answer.gone.length) return;
    this.heard.events.push(...answer.events);
    this.heard.gone.push(...answer.gone);
    this.heard.cursor = answer.cursor;
    storeIfRoom(`${this.place}-heard`, this.heard);
  }

  take({ events, gone, cursor }) {
    for (const row of events) this.events.set(row[0], row);
    for (const name of gone) {
      this.gone.add(name);
      for (const key of [...this.events.keys()])
        if (key === name || key.startsWith(`${name}+`)) this.events.delete(key);
    }
    this.cursor = cursor;
  }

  // Everything that happened, in its order: {name, what, step, part, at, minutes, who, why, text, mine}.
  all() {
    const waiting = this.waiting;
    const off = new Set([...this.gone, ...waiting.filter((e) => e.what === "undo").map((e) => e.of)]);
    const told = [];
    for (const [name, what, step, part, at, minutes, who, why, text] of this.events.values())
      if (!off.has(name.split("+")[0])) told.push({ name, what, step, part: part ?? "", at, minutes, who, why, text });
    for (const e of waiting)
      if (!["undo", "time"].includes(e.what) && !off.has(e.id) && !this.events.has(e.id))
        for (const part of e.what === "done" ? (e.parts ?? [""]) : [(e.parts ?? [""])[0]])
          told.push({ ...e, name: e.id, part });
    for (const event of told) event.mine = event.name.startsWith(`${this.phone}-`);
    return told.sort((a, b) => a.at - b.at);
  }

  // What is ticked; breaking a part undoes everything done to it before.
  done() {
    const done = new Set();
    for (const { what, step, part } of this.all()) {
      if (what === "done") done.add(keyOf(step, part));
      if (what === "broke") for (const key of [...done]) if (key.endsWith(`|${part}`)) done.delete(key);
    }
    return done;
  }

  // Send what waits and hear what others did. Gives {told: [words], changed, revision}; throws where nobody answers.
  async send(ask) {
    if (this.sending) return null;
    this.sending = true;
    try {
      const told = [];
      let changed = false,
        answer;
      do {
        this.waiting = this.waiting.map((entry, i) => (i < SENT_AT_ONCE ? { ...entry, tried: true } : entry));
        const entries = this.waiting.slice(0, SENT_AT_ONCE);
        answer = await ask({ entries, cursor: this.cursor, now: Date.now() });
        const taken = new Map(answer.answers.map(([name, state, words]) => [name, { state, words }]));
        for (const { words } of taken.values()) if (words) told.push(words);
        // in one go, so that what is taken is never lost between the two
        this.hear(answer);
        if (taken.size) this.waiting = this.waiting.filter((entry) => !taken.has(entry.id));
        changed ||= answer.events.length > 0 || answer.gone.length > 0 || taken.size > 0;
        if (entries.length && !taken.size) break;
      } while (this.waiting.length);
      return { told, changed, revision: answer.revision };
    } finally {
      this.sending = false;
    }
  }
}

// The order of the work, as the workshop reckons it: parts that are done fall out of a step, and so does what must have
// been done before what is ticked.
export class Cards {
  constructor(pocket) {
    this.steps = pocket.steps.map(([key, verb, each, before, parts, copy]) => ({
      key,
      verb,
      each,
      before,
      parts: parts ?? [],
      copy: copy ?? 0,
    }));
    this.cards = pocket.cards.map(([step, title, lines, caution, minutes, takes, ...rest]) => ({
      step,
      title,
      lines,
      caution,
      minutes,
      takes,
      parts: this.steps[step].each ? rest[0] : this.steps[step].parts,
      sawn: rest[this.steps[step].each ? 1 : 0],
    }));
    for (const card of this.cards) {
      const step = this.steps[card.step];
      card.each = step.each;
      card.verb = step.verb;
      card.copy = step.each ? Number(card.parts[0].split("/")[1] ?? 1) : step.copy;
      card.marks = step.each ? card.parts.map((part) => keyOf(step.verb, part)) : [keyOf(step.key, "")];
      if (step.each) step.parts.push(...card.parts);
    }
    this.number();
    this.followers = this.steps.map(() => []);
    this.steps.forEach(({ before }, i) => before.forEach((j) => this.followers[j].push(i)));
    this.after = this.steps.map(() => new Set());
    for (let i = this.steps.length - 1; i >= 0; i -= 1)
      for (const j of this.followers[i]) {
        this.after[i].add(j);
        this.after[j].forEach((k) => this.after[i].add(k));
      }
  }

  // Parts by number: what is done to which of them is a row of bits.
  number() {
    const numbers = new Map();
    const numberOf = (part) => numbers.get(part) ?? numbers.set(part, numbers.size).get(part);
    for (const step of this.steps) {
      step.bits = step.parts.map(numberOf);
      step.marks = step.parts.map((part) => keyOf(step.verb, part));
    }
    this.words = (numbers.size >> 5) + 1;
    for (const card of this.cards) card.bits = card.parts.map(numberOf);
  }

  // Cards that are left, as a set of their places.
  left(done) {
    const has = (row, bit) => row[bit >> 5] & (1 << (bit & 31));
    const add = (row, bit) => (row[bit >> 5] |= 1 << (bit & 31));
    // one more word for a step that speaks of no part
    const rows = () => this.steps.map(() => new Uint32Array(this.words + 1));
    const ticked = rows(),
      later = rows();
    this.steps.forEach(({ key, each, bits, marks }, i) => {
      if (each) bits.forEach((bit, n) => done.has(marks[n]) && add(ticked[i], bit));
      else if (done.has(keyOf(key, ""))) {
        bits.forEach((bit) => add(ticked[i], bit));
        if (!bits.length) ticked[i][this.words] = 1;
      }
    });
    for (let i = this.steps.length - 1; i >= 0; i -= 1)
      for (const j of this.followers[i])
        later[i].forEach((word, n) => (later[i][n] = word | ticked[j][n] | later[j][n]));
    const keeps = this.steps.map(({ key, each, bits }, i) => {
      if (!each && done.has(keyOf(key, ""))) return null;
      const begun = later[i].some(Boolean);
      if (!bits.length) return begun ? null : later[i];
      if (!each && begun && !bits.some((bit) => has(later[i], bit))) return null;
      const gone = each ? later[i].map((word, n) => word | ticked[i][n]) : later[i];
      return bits.some((bit) => !has(gone, bit)) ? gone : null;
    });
    const left = new Set();
    this.cards.forEach((card, place) => {
      const gone = keeps[card.step];
      if (gone && (!card.each || card.bits.some((bit) => !has(gone, bit)))) left.add(place);
    });
    return left;
  }

  // Whether a card has to wait for another that was put off.
  waitsFor(card, other) {
    if (card.parts.some((part) => other.parts.includes(part))) return true;
    return !(card.each && other.each) && !other.parts.length && this.after[other.step].has(card.step);
  }

  // The first card that is left, is not put off, and waits for none that is.
  next(left, off) {
    const skipped = [];
    for (const place of left) {
      const card = this.cards[place];
      if (off.has(card.marks[0])) skipped.push(card);
      else if (!skipped.some((other) => this.waitsFor(card, other))) return place;
    }
    return left.values().next().value ?? -1;
  }
}
