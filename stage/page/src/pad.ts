// A pad: two parameters of one blend space, with its points, what each counts, and what the body really does.
import { colours, element, pencil, short } from "./look";
import { Description, Row, Space } from "./wire";

export class Pad {
  readonly canvas: HTMLCanvasElement;
  readonly line = element("p", { class: "pad-line" });
  private row: Row | null = null;
  private indices: number[];
  private low: [number, number];
  private high: [number, number];
  private drawnAs = "";

  constructor(private description: Description, readonly space: Space, private set: (name: string, value: number) => void) {
    this.canvas = element("canvas", { class: "pad", tabindex: 0, role: "application",
      "aria-label": `${space.parameters.join(" and ")}: drag, or use the arrow keys` });
    this.indices = space.parameters.map((name) => description.parameters.findIndex((p) => p.name === name));
    const margin = [0, 1].map((k) => 0.14 * ((space.high[k]! - space.low[k]!) || 1)) as [number, number];
    this.low = [space.low[0]! - margin[0], space.low[1]! - margin[1]];
    this.high = [space.high[0]! + margin[0], space.high[1]! + margin[1]];
    const drag = (event: PointerEvent): void => {
      const box = this.canvas.getBoundingClientRect();
      this.ask(this.fromPixel(event.clientX - box.left, event.clientY - box.top, box.width, box.height));
    };
    this.canvas.addEventListener("pointerdown", (event) => {
      this.canvas.setPointerCapture(event.pointerId);
      drag(event);
    });
    this.canvas.addEventListener("pointermove", (event) => { if (event.buttons !== 0) { drag(event); } });
    this.canvas.addEventListener("keydown", (event) => {
      const steps: Record<string, [number, number]> =
        { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };
      const step = steps[event.key];
      if (!step || !this.row) { return; }
      event.preventDefault();
      event.stopPropagation();
      const at = this.asked();
      this.ask([at[0] + step[0] * (this.high[0] - this.low[0]) / 40, at[1] + step[1] * (this.high[1] - this.low[1]) / 40]);
    });
  }

  shown(row: Row): void {
    this.row = row;
    this.draw();
  }
  themed(): void {
    this.drawnAs = "";
    this.draw();
  }

  /** Places on the pad are velocities to the right and ahead, or the parameters themselves. */
  private fromPixel(x: number, y: number, width: number, height: number): [number, number] {
    const scale = this.scale(width, height);
    return [(x - scale.x0) / scale.x, (scale.y0 - y) / scale.y];
  }
  private scale(width: number, height: number): { x: number; y: number; x0: number; y0: number } {
    let x = width / (this.high[0] - this.low[0]), y = height / (this.high[1] - this.low[1]);
    if (this.space.velocities) { x = y = Math.min(x, y); }
    return { x, y, x0: width / 2 - x * (this.low[0] + this.high[0]) / 2, y0: height / 2 + y * (this.low[1] + this.high[1]) / 2 };
  }

  private numberOf(values: Float32Array, kind: "number" | "angle"): number {
    const found = this.indices.find((i) => (this.description.parameters[i]!.kind === "angle") === (kind === "angle"));
    return found === undefined ? 0 : values[found]!;
  }
  /** Where the inputs are, as drawn. */
  private asked(): [number, number] {
    const raw = this.row!.raw;
    if (!this.space.velocities) { return [raw[this.indices[0]!]!, raw[this.indices[1]!]!]; }
    const speed = this.numberOf(raw, "number"), heading = this.numberOf(raw, "angle") * Math.PI / 180;
    return [speed * Math.sin(heading), speed * Math.cos(heading)];
  }
  private ask(at: [number, number]): void {
    if (!this.space.velocities) {
      this.space.parameters.forEach((name, k) => this.set(name, at[k]!));
      return;
    }
    const speed = Math.hypot(at[0], at[1]);
    for (const i of this.indices) {
      const parameter = this.description.parameters[i]!;
      if (parameter.kind !== "angle") {
        this.set(parameter.name, speed < 0.06 ? 0 : speed);
      } else if (speed >= 0.06) {
        this.set(parameter.name, Math.atan2(at[0], at[1]) * 180 / Math.PI);
      }
    }
  }

  /** What each point counts now: the shares of its clips. */
  private shares(): number[] {
    const clips = new Map<string, number>();
    for (const layer of this.row!.layers) {
      for (const instance of layer.instances) {
        for (const clip of instance.clips) {
          const name = this.description.clips[clip.clip]!.name;
          clips.set(name, Math.max(clips.get(name) ?? 0, clip.weight * instance.weight));
        }
      }
    }
    return this.space.points.map((point) => Math.max(0, ...point.clips.map((clip) => clips.get(clip) ?? 0)));
  }

  private draw(): void {
    const { row, space } = this;
    if (!row) { return; }
    const cursor = row.cursor?.state === space.state ? row.cursor.at : null;
    const asked = this.asked(), shares = this.shares();
    const key = [asked, cursor, shares, row.moveX, row.moveZ].flat().map((v) => (v ?? 9).toFixed(3)).join();
    if (key === this.drawnAs) { return; }
    const sheet = pencil(this.canvas);
    if (!sheet) { return; }
    this.drawnAs = key;
    const { draw, width, height } = sheet, c = colours(), scale = this.scale(width, height);
    const at = (p: readonly number[]): [number, number] => [scale.x0 + scale.x * p[0]!, scale.y0 - scale.y * p[1]!];
    draw.strokeStyle = c.line;
    draw.lineWidth = 1;
    for (const cell of space.cells) {
      draw.beginPath();
      cell.forEach((point, k) => draw[k === 0 ? "moveTo" : "lineTo"](...at(space.points[point]!.drawn)));
      draw.closePath();
      draw.stroke();
    }
    space.points.forEach((point, p) => {
      const [x, y] = at(point.drawn);
      draw.fillStyle = c.lamp;
      draw.beginPath();
      draw.arc(x, y, 2.5 + 10 * Math.sqrt(shares[p]!), 0, 7);
      draw.globalAlpha = 0.25 + 0.75 * Math.min(1, shares[p]!);
      draw.fill();
      draw.globalAlpha = 1;
      if (shares[p]! > 0.04) {
        draw.fillStyle = c.ink;
        const text = `${point.clips[0] ?? ""} ${Math.round(100 * shares[p]!)} %`;
        const wide = draw.measureText(text).width;
        draw.fillText(text, Math.max(2, Math.min(width - wide - 2, x + 8)), Math.max(11, y - 6));
      }
    });
    const ring = (p: readonly number[], radius: number, colour: string): void => {
      draw.strokeStyle = colour;
      draw.lineWidth = 2;
      draw.beginPath();
      draw.arc(...at(p), radius, 0, 7);
      draw.stroke();
    };
    ring(asked, 7, c.ink);
    if (cursor) {
      draw.fillStyle = c.ink;
      draw.beginPath();
      draw.arc(...at(cursor), 3, 0, 7);
      draw.fill();
    }
    if (!space.velocities) {
      this.line.textContent = `asked ${asked.map(short).join(", ")}`;
      return;
    }
    // What the feet really do: a cross.
    const really: [number, number] = [-row.moveX, row.moveZ], [x, y] = at(really);
    draw.strokeStyle = c.wrong;
    draw.lineWidth = 2;
    draw.beginPath();
    draw.moveTo(x - 5, y - 5);
    draw.lineTo(x + 5, y + 5);
    draw.moveTo(x + 5, y - 5);
    draw.lineTo(x - 5, y + 5);
    draw.stroke();
    this.line.textContent = `ring: asked ${short(Math.hypot(...asked))} m/s; dot: smoothed; ` +
      `cross: the body goes ${short(Math.hypot(...really))} m/s`;
  }
}
