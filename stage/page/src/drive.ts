// Keys and a game pad as a stick.
import { isTakenByFocus } from "./look";
import { Quay } from "./quay";
import { Source } from "./source";

const keys: Record<string, [number, number]> = {
  KeyW: [0, 1], ArrowUp: [0, 1], KeyS: [0, -1], ArrowDown: [0, -1],
  KeyA: [-1, 0], ArrowLeft: [-1, 0], KeyD: [1, 0], ArrowRight: [1, 0],
};
/** The part of her top speed that keys alone ask for. */
const walking = 0.45;

export class Driver {
  private held = new Set<string>();
  private hurries = false;
  private told = "";
  private toldAt = 0;
  /** Whether this document can be driven at all. */
  possible = false;

  constructor(private source: Source, private quay: Quay) {
    window.addEventListener("keydown", (event) => {
      this.hurries = event.shiftKey;
      if (!keys[event.code] || isTakenByFocus(event)) { return; }
      event.preventDefault();
      this.held.add(event.code);
    });
    window.addEventListener("keyup", (event) => {
      this.hurries = event.shiftKey;
      this.held.delete(event.code);
    });
    window.addEventListener("blur", () => this.held.clear());
  }

  /** Once a picture. */
  tell(now: number): void {
    if (!this.possible || this.source.saved) { return; }
    let right = 0, ahead = 0;
    for (const code of this.held) { right += keys[code]![0]; ahead += keys[code]![1]; }
    // Keys are all or nothing: so they walk, and with Shift they run.
    const size = Math.hypot(right, ahead), wanted = this.hurries ? 1 : walking;
    if (size > 0) { right *= wanted / size; ahead *= wanted / size; }
    for (const pad of navigator.getGamepads?.() ?? []) {
      const x = pad?.axes[0] ?? 0, y = pad?.axes[1] ?? 0;
      if (Math.hypot(x, y) > 0.15) { right = x; ahead = -y; }
    }
    const rests = right === 0 && ahead === 0;
    const camera = Math.round(this.quay.cameraHeading() * 10) / 10;
    const text = rests ? "rests" : `${right.toFixed(2)} ${ahead.toFixed(2)} ${camera}`;
    if (this.told === "" && rests) { return; } // nobody has driven yet
    if (text === this.told || now - this.toldAt < 30) { return; }
    this.told = text;
    this.toldAt = now;
    this.source.ask({ ask: "drive", right, ahead, camera });
  }

  /** The desk has taken over: what is set there stays. */
  letGo(): void {
    if (this.told === "") { return; }
    this.told = "";
    this.source.ask({ ask: "drive" });
  }
}
