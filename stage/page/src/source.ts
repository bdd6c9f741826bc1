// Where a performance comes from: a server that plays it, or a page in which one was saved.
import { Body, Description, Row, Said, Shown, readBody, readRows, readShown } from "./wire";

export interface Watcher {
  document(description: Description): void;
  body(body: Body): void;
  history(rows: Row[]): void;
  shown(shown: Shown): void;
  said(said: Said): void;
  /** The server has gone, or is there again. */
  lost(lost: boolean): void;
}
export interface Source {
  readonly saved: boolean;
  /** The address of a material's picture. */
  picture(index: number): string;
  ask(message: Record<string, unknown>): void;
}

export class LiveSource implements Source {
  readonly saved = false;
  private socket: WebSocket | null = null;
  private description: Description | null = null;

  constructor(private watcher: Watcher) { this.connect(); }

  picture(index: number): string { return new URL(`picture/${index}`, window.location.href).href; }

  ask(message: Record<string, unknown>): void {
    if (this.socket?.readyState === WebSocket.OPEN) { this.socket.send(JSON.stringify(message)); }
  }

  private connect(): void {
    const address = new URL("live", window.location.href);
    address.protocol = "ws:";
    const socket = new WebSocket(address);
    socket.binaryType = "arraybuffer";
    socket.onopen = (): void => this.watcher.lost(false);
    socket.onmessage = (event: MessageEvent): void => {
      if (typeof event.data === "string") {
        this.hear(JSON.parse(event.data) as Said);
      } else if (this.description) {
        this.see(event.data as ArrayBuffer, this.description);
      }
    };
    socket.onclose = (): void => {
      this.watcher.lost(true);
      setTimeout(() => this.connect(), 1000);
    };
    this.socket = socket;
  }

  private hear(said: Said): void {
    if (said.says === "document") {
      this.description = said;
      this.watcher.document(said);
      fetch("body").then((answer) => answer.arrayBuffer()).then((bytes) => this.watcher.body(readBody(bytes)))
        .catch(() => this.watcher.lost(true));
    }
    this.watcher.said(said);
  }

  private see(bytes: ArrayBuffer, description: Description): void {
    const kind = new Uint8Array(bytes, 0, 1)[0];
    if (kind === 2) { this.watcher.history(readRows(bytes, 1, description)); }
    if (kind === 1) { this.watcher.shown(readShown(bytes, description)); }
  }
}

interface SavedData { document: Description; body: string; rows: string; poses: string; pictures: string[]; pose_every: number }

async function inflated(text: string): Promise<ArrayBuffer> {
  const bytes = Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
  return new Response(new Blob([bytes]).stream().pipeThrough(new DecompressionStream("gzip"))).arrayBuffer();
}

/** Plays what a page holds: frames are those that were saved, in between poses are blended. */
export class SavedSource implements Source {
  readonly saved = true;
  private rows: Row[] = [];
  private poses = new Int16Array(0);
  private at = 0;
  private playing = true;
  private slow = 1;
  private last = 0;

  constructor(private watcher: Watcher, private data: SavedData) { void Promise.resolve().then(() => this.open()); }

  picture(index: number): string { return this.data.pictures[index] ?? ""; }

  ask(message: Record<string, unknown>): void {
    const step = (frames: number): void => { this.go(this.at + frames / this.data.pose_every); };
    switch (message.ask) {
      case "pause": this.playing = false; break;
      case "play": this.playing = true; if (this.at >= this.rows.length - 1) { this.at = 0; } break;
      case "slow": this.slow = Number(message.times); break;
      case "step": this.playing = false; step(Math.sign(Number(message.frames)) * this.data.pose_every); break;
      case "go_to": this.go(Number(message.frame) / this.data.pose_every); break;
      default: return;
    }
    this.watcher.said({ says: "clock", playing: this.playing, slow: this.slow });
  }

  private async open(): Promise<void> {
    this.watcher.document(this.data.document);
    this.watcher.said(this.data.document);
    this.watcher.body(readBody(await inflated(this.data.body)));
    this.rows = readRows(await inflated(this.data.rows), 0, this.data.document);
    const changes = new Int16Array(await inflated(this.data.poses));
    // Stored number by number, each as it changed from frame to frame.
    const width = this.data.document.joints.length * 6, frames = this.rows.length;
    this.poses = new Int16Array(width * frames);
    for (let number = 0; number < width; ++number) {
      let value = 0;
      for (let frame = 0; frame < frames; ++frame) {
        value += changes[number * frames + frame]!;
        this.poses[frame * width + number] = value;
      }
    }
    const newest = this.rows[frames - 1]?.frame ?? 0;
    for (const row of this.rows) { row.newest = newest; row.oldest = 0; }
    this.watcher.history(this.rows);
    this.watcher.said({ says: "clock", playing: this.playing, slow: this.slow });
    this.last = performance.now();
    requestAnimationFrame((now) => this.tick(now));
    this.go(0);
  }

  private tick(now: number): void {
    const frames = (now - this.last) / 1000 * this.data.document.frames_per_second / this.data.pose_every / this.slow;
    this.last = now;
    if (this.playing && frames > 0) {
      this.go(this.at + Math.min(frames, 6));
      if (this.at >= this.rows.length - 1) { this.ask({ ask: "pause" }); }
    }
    requestAnimationFrame((next) => this.tick(next));
  }

  private go(at: number): void {
    this.at = Math.max(0, Math.min(this.rows.length - 1, at));
    const row = this.rows[Math.round(this.at)];
    if (row) { this.watcher.shown({ row, joints: this.pose(), ghost: null }); }
  }

  private pose(): Float32Array {
    const { joints, joint_reals: reals } = this.data.document;
    const out = new Float32Array(joints.length * reals), width = joints.length * 6;
    const first = Math.floor(this.at), part = this.at - first, second = Math.min(first + 1, this.rows.length - 1);
    joints.forEach((_, j) => {
      const value = (frame: number, k: number): number => this.poses[frame * width + j * 6 + k]!;
      const quaternion = (frame: number): number[] => {
        const [x, y, z] = [0, 1, 2].map((k) => value(frame, k) / 32767) as [number, number, number];
        return [x, y, z, Math.sqrt(Math.max(0, 1 - x * x - y * y - z * z))];
      };
      const a = quaternion(first), b = quaternion(second);
      const side = a.reduce((sum, v, k) => sum + v * b[k]!, 0) < 0 ? -1 : 1;
      const mixed = a.map((v, k) => v + part * (side * b[k]! - v));
      const length = Math.hypot(...mixed) || 1;
      mixed.forEach((v, k) => { out[j * reals + k] = v / length; });
      for (let k = 3; k < 6; ++k) {
        out[j * reals + k + 1] = (value(first, k) + part * (value(second, k) - value(first, k))) / 1e4;
      }
      for (let k = 7; k < reals; ++k) { out[j * reals + k] = 1; }
    });
    return out;
  }
}

export function sourceFor(watcher: Watcher): Source {
  const saved = document.getElementById("saved");
  return saved ? new SavedSource(watcher, JSON.parse(saved.textContent ?? "") as SavedData) : new LiveSource(watcher);
}
