// The score: what happened, and when; dragged, it goes back.
import { byId, colours, element, pencil, press, short, sideOf } from "./look";
import { Source } from "./source";
import { Description, FoundSnap, Row } from "./wire";

const kept = 7300, nameWide = 92;

export class Score {
  private rows: Row[] = [];
  private description: Description | null = null;
  private now = 0;
  private newest = 0;
  private seconds = 20;
  private snaps: FoundSnap[] = [];
  private position = element("input", { type: "range", "aria-label": "Where in the score, frames", min: 0, max: 0, value: 0 });
  private dragged: { x: number; frame: number } | null = null;
  private dirty = true;

  constructor(private source: Source) {
    const canvas = byId("lanes") as HTMLCanvasElement;
    const live = press("to the newest", () => this.source.ask({ ask: "go_to", frame: this.newest }), "The newest frame that was played");
    const line = element("p", { id: "score-line" });
    const wider = element("select", { "aria-label": "Seconds shown" });
    for (const seconds of [5, 10, 20, 60, 120]) { wider.add(new Option(`${seconds} s`, String(seconds), seconds === 20, seconds === 20)); }
    wider.addEventListener("change", () => { this.seconds = Number(wider.value); this.dirty = true; });
    this.position.addEventListener("input", () => {
      this.source.ask({ ask: "pause" });
      this.source.ask({ ask: "go_to", frame: Number(this.position.value) });
    });
    const tools = byId("score-tools");
    tools.append(element("h2", {}, "The score"), this.position, live, wider, line);
    if (!source.saved) { tools.append(press("save as cue sheet", () => this.source.ask({ ask: "cues" }), "What was done by hand, to play again with gait perform")); }
    canvas.addEventListener("pointerdown", (event) => {
      canvas.setPointerCapture(event.pointerId);
      this.dragged = { x: event.clientX, frame: this.now };
      this.source.ask({ ask: "pause" });
    });
    canvas.addEventListener("pointermove", (event) => {
      if (!this.dragged || event.buttons === 0) { return; }
      const wide = canvas.clientWidth - nameWide, frames = (event.clientX - this.dragged.x) / wide * this.seconds * this.rate();
      this.source.ask({ ask: "go_to", frame: Math.round(this.dragged.frame - frames) });
    });
    canvas.addEventListener("pointerup", () => { this.dragged = null; });
  }
  private rate(): number { return this.description?.frames_per_second ?? 60; }

  document(description: Description): void {
    this.description = description;
    this.rows = [];
    this.snaps = [];
    this.dirty = true;
  }
  history(rows: Row[]): void {
    this.rows = rows.slice(-kept);
    this.newest = rows.at(-1)?.frame ?? 0;
    this.dirty = true;
  }
  /** Where the body was, one place in six frames. */
  placesUntil(frame: number): Row[] {
    return this.rows.filter((row, i) => row.frame <= frame && i % 6 === 0);
  }
  found(snaps: FoundSnap[]): void { this.snaps.push(...snaps); this.snaps = this.snaps.slice(-200); this.dirty = true; }
  themed(): void { this.dirty = true; }

  shown(row: Row): void {
    this.now = row.frame;
    this.newest = row.newest;
    const last = this.rows.at(-1)?.frame ?? -1;
    if (!this.source.saved && !row.anew && row.frame > last) {
      this.rows.push(row);
      if (this.rows.length > kept) { this.rows.splice(0, 60); }
    } else if (!this.source.saved && row.newest < last) {
      // Played on from there, what came after is another story.
      this.rows = this.rows.filter((r) => r.frame < row.frame);
      this.rows.push(row);
      this.snaps = this.snaps.filter((s) => s.time * this.rate() < row.frame);
    }
    this.position.min = String(row.oldest);
    this.position.max = String(row.newest);
    if (!this.position.matches(":active")) { this.position.value = String(row.frame); }
    this.dirty = true;
  }

  draw(): void {
    const { description } = this;
    if (!description || !this.dirty) { return; }
    const sheet = pencil(byId("lanes") as HTMLCanvasElement);
    if (!sheet) { return; }
    this.dirty = false;
    const { draw, width, height } = sheet, c = colours(), rate = this.rate();
    const span = this.seconds * rate;
    // The present at the right edge while it plays on; gone back to, it stands in what is shown.
    const behind = this.newest - this.now;
    const last = behind < span * 0.5 ? Math.max(this.newest, this.now) : this.now + span * 0.5;
    const oldest = Math.max(0, this.rows[0]?.frame ?? 0), begin = Math.max(oldest, last - span), end = begin + span;
    const x = (frame: number): number => nameWide + (frame - begin) / span * (width - nameWide);
    const first = this.rows.findIndex((row) => row.frame >= begin);
    const rows = first < 0 ? [] : this.rows.slice(first).filter((row) => row.frame <= end);
    const name = (text: string, y: number): void => {
      draw.fillStyle = c.faint;
      draw.textBaseline = "middle";
      draw.fillText(text, 8, y, nameWide - 12);
    };
    // Seconds.
    draw.strokeStyle = c.line;
    draw.fillStyle = c.faint;
    draw.textBaseline = "alphabetic";
    const every = this.seconds <= 10 ? 1 : this.seconds <= 20 ? 2 : 10;
    for (let s = Math.ceil(Math.max(0, begin) / rate / every) * every; s * rate <= end; s += every) {
      draw.beginPath();
      draw.moveTo(x(s * rate), 12);
      draw.lineTo(x(s * rate), height);
      draw.stroke();
      draw.fillText(`${s} s`, x(s * rate) + 2, 10);
    }
    let y = 14;
    const layers = description.layers.map((layer, l) => ({ layer, l }));
    for (const { layer, l } of layers) {
      const high = 17;
      name(layer.one_shots ? "one-shots" : layer.name, y + high / 2);
      this.stretches(rows, (row) => row.layers[l]!.state).forEach(([from, to, state], i) => {
        const info = description.states[state]!;
        if (layer.one_shots && info.nothing) { return; }
        const left = Math.max(nameWide, x(from)), right = x(to + 1);
        draw.fillStyle = i % 2 === 0 ? c.key : c.line;
        draw.fillRect(left, y + 1, Math.max(1, right - left - 1), high - 2);
        draw.save();
        draw.beginPath();
        draw.rect(left, y, right - left - 2, high);
        draw.clip();
        draw.fillStyle = c.ink;
        draw.textBaseline = "middle";
        draw.fillText(info.name, left + 4, y + high / 2);
        draw.restore();
      });
      y += high;
    }
    // Feet.
    if (description.feet.length > 0) { name("feet down", y + 5 * description.feet.length); }
    description.feet.forEach((foot, f) => {
      const side = sideOf(foot);
      draw.fillStyle = side === "middle" ? c.faint : c[side];
      for (const [from, to, down] of this.stretches(rows, (row) => (row.feet[f] ? 1 : 0))) {
        if (down) { draw.fillRect(Math.max(nameWide, x(from)), y + 1, x(to + 1) - Math.max(nameWide, x(from)), 7); }
      }
      y += 10;
    });
    // The clips with the most weight, as bands.
    const band = 26;
    name("clips", y + band / 2);
    this.clips(rows, draw, x, y + 2, band - 4);
    y += band;
    // Events and signals.
    name("events", y + 8);
    draw.textBaseline = "middle";
    let free = -1;
    for (const row of rows) {
      const words = [...new Set([...row.sent.map((s) => `${description.parameters[s]!.name}!`),
        ...row.events.filter((e) => e.kind === 1).map((e) => description.marks[e.what]!)])];
      if (words.length === 0) { continue; }
      draw.fillStyle = row.sent.length > 0 ? c.lamp : c.faint;
      const text = words.join(", ");
      draw.fillRect(x(row.frame), y + (x(row.frame) > free ? 1 : 13), 1.5, x(row.frame) > free ? 13 : 3);
      const room = x(row.frame) > free, wide = draw.measureText(text).width;
      if (!room) { continue; }
      draw.fillText(text, x(row.frame) + 3, y + 8);
      free = x(row.frame) + 8 + wide;
    }
    y += 16;
    // Parameters that change, as lines, as many as there is room for.
    const measureHigh = 38, lanes = Math.max(0, Math.floor((height - y - measureHigh) / 22));
    const moving = description.parameters.map((p, i) => ({ p, i })).filter(({ p }) => p.kind !== "signal")
      .map((one) => ({ ...one, range: this.rangeOf(rows, one.i) })).filter(({ range }) => range[1] > range[0])
      .sort((a, b) => Number(a.p.computed) - Number(b.p.computed)).slice(0, lanes);
    for (const { p, i, range } of moving) {
      name(p.name, y + 11);
      this.line(draw, rows, (row) => row.raw[i]!, range, x, y + 2, 18, c.faint, 1);
      this.line(draw, rows, (row) => row.smoothed[i]!, range, x, y + 2, 18, c.ink, 1.4);
      y += 22;
    }
    this.measures(draw, rows, x, height - measureHigh, measureHigh, width);
    // The present.
    draw.strokeStyle = c.lamp;
    draw.lineWidth = 2;
    draw.beginPath();
    draw.moveTo(x(this.now), 0);
    draw.lineTo(x(this.now), height);
    draw.stroke();
    draw.lineWidth = 1;
  }

  private clips(rows: Row[], draw: CanvasRenderingContext2D, x: (f: number) => number, y: number, high: number): void {
    const c = colours(), description = this.description!;
    const step = Math.max(1, Math.floor(rows.length / 300));
    const heaviest: { from: number; clip: number }[] = [];
    for (let r = 0; r < rows.length; r += step) {
      const row = rows[r]!, shares: [number, number][] = [];
      for (const instance of row.layers[0]?.instances ?? []) {
        for (const clip of instance.clips) { shares.push([clip.clip, clip.weight * instance.weight]); }
      }
      shares.sort((a, b) => a[0] - b[0]);
      let sum = 0;
      const total = shares.reduce((all, [, share]) => all + share, 0) || 1, left = Math.floor(x(row.frame));
      const wide = Math.floor(x(rows[r + step]?.frame ?? row.frame + 1)) - left;
      for (const [clip, share] of shares) {
        draw.fillStyle = `hsl(${(clip * 47) % 360} 32% 55%)`;
        draw.globalAlpha = 0.6;
        draw.fillRect(left, y + high * sum, wide, high * share / total);
        sum += share / total;
      }
      draw.globalAlpha = 1;
      const most = shares.reduce((a, b) => (b[1] > a[1] ? b : a), [-1, 0])[0];
      if (heaviest.at(-1)?.clip !== most) { heaviest.push({ from: row.frame, clip: most }); }
    }
    draw.textBaseline = "middle";
    heaviest.forEach(({ from, clip }, i) => {
      const left = Math.max(nameWide, x(from)), right = x(heaviest[i + 1]?.from ?? (rows.at(-1)?.frame ?? 0));
      const text = description.clips[clip]?.name ?? "";
      if (right - left < draw.measureText(text).width + 6) { return; }
      draw.lineWidth = 3;
      draw.strokeStyle = c.wall;
      draw.strokeText(text, left + 4, y + high / 2);
      draw.fillStyle = c.ink;
      draw.fillText(text, left + 4, y + high / 2);
      draw.lineWidth = 1;
    });
  }

  /** The jolt as a line, and what went over its bound as marks with words. */
  private measures(draw: CanvasRenderingContext2D, rows: Row[], x: (f: number) => number, y: number, high: number, width: number): void {
    const c = colours(), { bounds, joints } = this.description!;
    draw.fillStyle = c.faint;
    draw.textBaseline = "middle";
    draw.fillText("jolt, deg/s", 8, y + high / 2, nameWide - 12);
    const most = Math.max(600, ...rows.map((row) => row.jolt));
    this.line(draw, rows, (row) => row.jolt, [0, most], x, y + 3, high - 6, c.ink, 1);
    draw.fillStyle = draw.strokeStyle = c.wrong;
    const mark = (at: number, text: string): void => {
      draw.beginPath();
      draw.moveTo(at, y + 12);
      draw.lineTo(at - 5, y + 3);
      draw.lineTo(at + 5, y + 3);
      draw.fill();
      draw.fillText(text, Math.min(at + 7, width - draw.measureText(text).width - 2), y + 7);
    };
    let worst: { row: Row; ratio: number } | null = null, count = 0;
    rows.forEach((row) => {
      if (row.pop <= bounds.pop) { return; }
      ++count;
      if (!worst || row.pop > worst.ratio) { worst = { row, ratio: row.pop }; }
      mark(x(row.frame - 1), count <= 12 ? `pop ${short(row.pop)}` : "");
    });
    for (const row of rows) { if (row.seam > bounds.seam) { mark(x(row.frame), `seam ${short(row.seam)} deg`); ++count; } }
    for (const snap of this.snaps) { mark(x(snap.time * this.rate()), `snap ${short(snap.ratio)}`); }
    const found = worst as { row: Row; ratio: number } | null;
    byId("score-line").textContent = found
      ? `the worst pop here: ${short(found.ratio)} at ${joints[found.row.popJoint]?.name ?? "?"}, ${short(found.row.frame / this.rate())} s`
      : `no pop in what is shown${this.snaps.length > 0 ? `; ${this.snaps.length === 1 ? "a fade" : `${this.snaps.length} fades`} less smooth than can be` : ""}`;
  }

  private stretches(rows: Row[], of: (row: Row) => number): [number, number, number][] {
    const out: [number, number, number][] = [];
    for (const row of rows) {
      const last = out.at(-1), value = of(row);
      if (last && last[2] === value) { last[1] = row.frame; } else { out.push([row.frame, row.frame, value]); }
    }
    return out;
  }
  private rangeOf(rows: Row[], index: number): [number, number] {
    let low = Infinity, high = -Infinity;
    for (const row of rows) {
      low = Math.min(low, row.raw[index]!, row.smoothed[index]!);
      high = Math.max(high, row.raw[index]!, row.smoothed[index]!);
    }
    return [low, high];
  }
  private line(draw: CanvasRenderingContext2D, rows: Row[], of: (row: Row) => number, range: [number, number],
    x: (f: number) => number, y: number, high: number, colour: string, wide: number): void {
    draw.strokeStyle = colour;
    draw.lineWidth = wide;
    draw.beginPath();
    const step = Math.max(1, Math.floor(rows.length / 900));
    for (let r = 0; r < rows.length; r += step) {
      let value = of(rows[r]!);
      for (let k = r + 1; k < Math.min(rows.length, r + step); ++k) { value = Math.max(value, of(rows[k]!)); }
      const at = y + high - (value - range[0]) / (range[1] - range[0] || 1) * high;
      draw[r === 0 ? "moveTo" : "lineTo"](x(rows[r]!.frame), at);
    }
    draw.stroke();
    draw.lineWidth = 1;
  }
}
