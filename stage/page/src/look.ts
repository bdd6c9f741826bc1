// Small things that every part of the page needs.

type Attributes = Record<string, string | number | boolean>;

export function element<K extends keyof HTMLElementTagNameMap>(
  name: K, attributes: Attributes = {}, ...children: (Node | string)[]): HTMLElementTagNameMap[K] {
  const made = document.createElement(name);
  for (const [key, value] of Object.entries(attributes)) { made.setAttribute(key, String(value)); }
  made.append(...children);
  return made;
}

export function drawn<K extends keyof SVGElementTagNameMap>(
  name: K, attributes: Attributes = {}, ...children: (Node | string)[]): SVGElementTagNameMap[K] {
  const made = document.createElementNS("http://www.w3.org/2000/svg", name);
  for (const [key, value] of Object.entries(attributes)) { made.setAttribute(key, String(value)); }
  made.append(...children);
  return made;
}

export function byId(id: string): HTMLElement {
  const found = document.getElementById(id);
  if (!found) { throw new Error(`the page lacks ${id}`); }
  return found;
}

/** A button that says whether it is pressed. */
export function toggle(text: string, pressed: boolean, change: (pressed: boolean) => void, title = ""): HTMLButtonElement {
  const button = element("button", { type: "button", "aria-pressed": pressed, title }, text);
  button.addEventListener("click", () => {
    const now = button.getAttribute("aria-pressed") !== "true";
    button.setAttribute("aria-pressed", String(now));
    change(now);
  });
  return button;
}

export function press(text: string, act: () => void, title = ""): HTMLButtonElement {
  const button = element("button", { type: "button", title }, text);
  button.addEventListener("click", act);
  return button;
}

/** As many digits as people read. */
export function short(value: number): string {
  const size = Math.abs(value);
  if (size >= 100) { return value.toFixed(0); }
  return size >= 10 ? value.toFixed(1) : value.toFixed(2);
}

export interface Colours {
  paper: string; wall: string; ink: string; faint: string; line: string; lamp: string; lit: string;
  left: string; right: string; wrong: string; well: string; key: string;
}
let known: Colours | null = null;
/** The colours of the page as they are now, light or dark. */
export function colours(): Colours {
  if (!known) {
    const style = getComputedStyle(document.documentElement);
    const names = ["paper", "wall", "ink", "faint", "line", "lamp", "lit", "left", "right", "wrong", "well", "key"];
    known = Object.fromEntries(names.map((n) => [n, style.getPropertyValue(`--${n}`).trim()])) as unknown as Colours;
  }
  return known;
}
export function coloursChanged(): void { known = null; }

/** Left or right by a name's words; the middle where neither is said. */
export function sideOf(name: string): "left" | "right" | "middle" {
  const words = name.toLowerCase().split(/[^a-z]+|(?<=[a-z])(?=[A-Z])/);
  if (words.includes("left") || words.includes("l")) { return "left"; }
  return words.includes("right") || words.includes("r") ? "right" : "middle";
}

/** Fits a canvas to its place on the page and gives its pencil, in pixels of the page. */
export function pencil(canvas: HTMLCanvasElement): { draw: CanvasRenderingContext2D; width: number; height: number } | null {
  const width = canvas.clientWidth, height = canvas.clientHeight, scale = window.devicePixelRatio || 1;
  if (width < 2 || height < 2) { return null; }
  if (canvas.width !== Math.round(width * scale) || canvas.height !== Math.round(height * scale)) {
    canvas.width = Math.round(width * scale);
    canvas.height = Math.round(height * scale);
  }
  const draw = canvas.getContext("2d");
  if (!draw) { return null; }
  draw.setTransform(scale, 0, 0, scale, 0, 0);
  draw.clearRect(0, 0, width, height);
  draw.font = '11px "DejaVu Sans", sans-serif';
  return { draw, width, height };
}

/** Whether a key is meant for what has the focus, not for the stage as a whole. */
export function isTakenByFocus(event: KeyboardEvent): boolean {
  if (event.ctrlKey || event.altKey || event.metaKey) { return true; }
  if (!(event.target instanceof Element)) { return false; }
  if (event.target.closest("input[type=text], select")) { return true; }
  const moves = event.key.startsWith("Arrow") || event.key === " " || event.key === "Enter";
  return moves && event.target.closest("input, button, .pad, .state") !== null;
}
