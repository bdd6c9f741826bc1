// The desk: what the game would set, made from the document's parameters.
import { byId, element, isTakenByFocus, press, short } from "./look";
import { Pad } from "./pad";
import { Source } from "./source";
import { Description, Parameter, Row } from "./wire";

type Refresh = (row: Row) => void;
type Text = (row: Row) => string;

export class Desk {
  private refreshes: Refresh[] = [];
  private pads: Pad[] = [];
  private keys = new Map<string, () => void>();

  constructor(private source: Source, private takenOver: () => void) {
    window.addEventListener("keydown", (event) => {
      if (event.repeat || isTakenByFocus(event)) { return; }
      const act = this.keys.get(event.key);
      if (act) { act(); event.preventDefault(); }
    });
  }

  document(description: Description): void {
    const out = byId("controls");
    out.replaceChildren();
    this.refreshes = [];
    this.pads = [];
    this.keys.clear();
    const all = description.parameters.map((parameter, index) => ({ parameter, index }));
    const set = all.filter(({ parameter }) => !parameter.computed && parameter.kind !== "signal");
    this.signals(out, all.filter(({ parameter }) => parameter.kind === "signal"));
    const pads = this.spaces(description);
    out.append(...pads.slice(0, 1).flat());
    this.section(out, "", set.filter(({ parameter }) => !parameter.tune));
    this.section(out, "Tunables", set.filter(({ parameter }) => parameter.tune));
    out.append(...pads.slice(1).flat());
    this.given(out, "Values that states give", description.values.map((value, v) => ({
      name: value.name, note: value.note, text: (row: Row): string => worded(value.kind, value.of, value.unit, row.values[v]!),
    })));
    this.given(out, "Computed", all.filter(({ parameter }) => parameter.computed).map(({ parameter, index }) => ({
      name: parameter.name, note: parameter.note,
      text: (row: Row): string => worded(parameter.kind, parameter.of, parameter.unit, row.smoothed[index]!),
    })));
    out.querySelectorAll<HTMLElement>("[title]").forEach((control) => {
      // Of what has the focus or is pointed at, so that no note waits for a pointer that rests.
      const say = (): void => { byId("note").textContent = control.title; };
      control.addEventListener("focusin", say);
      control.addEventListener("pointerenter", say);
    });
  }

  shown(row: Row): void {
    for (const refresh of this.refreshes) { refresh(row); }
    for (const pad of this.pads) { pad.shown(row); }
  }
  themed(): void { for (const pad of this.pads) { pad.themed(); } }

  private set(parameter: Parameter, value: unknown): void {
    this.takenOver();
    this.source.ask({ ask: "set", name: parameter.name, value });
  }

  private signals(out: HTMLElement, signals: { parameter: Parameter }[]): void {
    if (signals.length === 0) { return; }
    out.append(element("h3", {}, "Signals"));
    const keys = element("div", { class: "keys" });
    signals.forEach(({ parameter }, i) => {
      const send = (): void => this.source.ask({ ask: "send", name: parameter.name });
      const button = press(parameter.name, send, parameter.note);
      if (i < 9) {
        button.append(element("kbd", {}, String(i + 1)));
        this.keys.set(String(i + 1), send);
      }
      if (i === 0) { this.keys.set(" ", send); }
      keys.append(button);
    });
    out.append(keys);
  }

  private spaces(description: Description): HTMLElement[][] {
    const made: HTMLElement[][] = [];
    for (const space of description.spaces) {
      const settable = space.parameters.every((name) =>
        description.parameters.some((p) => p.name === name && !p.computed));
      if (space.parameters.length !== 2 || !settable) { continue; }
      const known = this.pads.some((pad) => pad.space.parameters.join() === space.parameters.join());
      if (known) { continue; }
      const pad = new Pad(description, space, (name, value) => {
        this.takenOver();
        this.source.ask({ ask: "set", name, value });
      });
      this.pads.push(pad);
      const heading = `${space.parameters.join(" and ")}, of ${description.states[space.state]!.full}`;
      made.push([element("h3", {}, heading), pad.canvas, pad.line]);
    }
    return made;
  }

  private section(out: HTMLElement, heading: string, parameters: { parameter: Parameter; index: number }[]): void {
    if (parameters.length === 0) { return; }
    out.append(element("h3", {}, heading || "Parameters"));
    for (const { parameter, index } of parameters) {
      const made = parameter.kind === "flag" ? this.flag(parameter, index)
        : parameter.kind === "choice" ? this.choice(parameter, index) : this.number(parameter, index);
      out.append(made);
    }
  }

  private number(parameter: Parameter, index: number): HTMLElement {
    const angle = parameter.kind === "angle";
    const high = parameter.high ?? Math.max(1, 4 * Math.abs(parameter.default), 10);
    const low = parameter.low ?? (angle ? -180 : Math.min(0, -4 * Math.abs(parameter.default)));
    const id = `set-${index}`;
    const slider = element("input", { type: "range", id, min: angle ? -180 : low, max: angle ? 180 : high,
      step: angle ? 1 : (high - low) / 400, value: parameter.default });
    const typed = element("input", { type: "text", inputmode: "decimal", "aria-label": `${parameter.name}, as a number` });
    const follow = element("i"), smooth = element("div", { class: "follow", title: "smoothed" }, follow);
    slider.addEventListener("input", () => this.set(parameter, Number(slider.value)));
    typed.addEventListener("change", () => {
      const value = Number(typed.value.replace(",", ".").replace(/[^-+.0-9e].*$/, ""));
      if (Number.isFinite(value)) { this.set(parameter, value); }
    });
    const part = (value: number): number =>
      100 * Math.max(0, Math.min(1, (value - Number(slider.min)) / (Number(slider.max) - Number(slider.min) || 1)));
    this.refreshes.push((row) => {
      const raw = row.raw[index]!;
      if (document.activeElement !== slider || !slider.matches(":active")) { slider.value = String(raw); }
      if (document.activeElement !== typed) { typed.value = `${short(raw)} ${parameter.unit}`.trim(); }
      follow.style.width = `${part(row.smoothed[index]!)}%`;
    });
    const range = parameter.low === null && parameter.high === null ? "" : `, ${low} to ${high} ${parameter.unit}`;
    return element("div", { class: "control", title: `${parameter.note}${range}` },
      element("label", { for: id }, parameter.name), element("div", {}, slider, smooth), typed);
  }

  private flag(parameter: Parameter, index: number): HTMLElement {
    let now = false;
    const button = element("button", { type: "button", "aria-pressed": false, "aria-label": parameter.name }, "no");
    button.addEventListener("click", () => this.set(parameter, !now));
    this.refreshes.push((row) => {
      now = row.raw[index]! !== 0;
      button.setAttribute("aria-pressed", String(now));
      button.textContent = now ? "yes" : "no";
    });
    return element("div", { class: "control", title: parameter.note },
      element("span", { class: "label" }, parameter.name), element("div", { class: "choices" }, button));
  }

  private choice(parameter: Parameter, index: number): HTMLElement {
    const buttons = parameter.of.map((word) => {
      const button = press(word, () => this.set(parameter, word), `${parameter.name}: ${word}`);
      button.setAttribute("aria-pressed", "false");
      return button;
    });
    this.refreshes.push((row) => buttons.forEach((button, i) => {
      button.setAttribute("aria-pressed", String(row.raw[index]! === i));
    }));
    return element("div", { class: "control", title: parameter.note },
      element("span", { class: "label" }, parameter.name),
      element("div", { class: "choices", role: "group", "aria-label": parameter.name }, ...buttons));
  }

  private given(out: HTMLElement, heading: string, lines: { name: string; note: string; text: Text }[]): void {
    if (lines.length === 0) { return; }
    out.append(element("h3", {}, heading));
    for (const line of lines) {
      const value = element("span");
      out.append(element("div", { class: "given", title: line.note }, element("span", {}, line.name), value));
      this.refreshes.push((row) => {
        const text = line.text(row);
        if (value.textContent !== text) { value.textContent = text; }
      });
    }
  }
}

function worded(kind: string, of: string[], unit: string, value: number): string {
  if (kind === "flag") { return value !== 0 ? "yes" : "no"; }
  if (kind === "choice") { return of[value] ?? ""; }
  return `${short(value)} ${unit}`.trim();
}
