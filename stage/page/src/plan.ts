// The plan on the wall: states in their machines, lit by how much they play, and the ways between them.
import { byId, drawn, element } from "./look";
import { Source } from "./source";
import { Description, PlannedLayer, Reasons, Row } from "./wire";

interface DrawnState { group: SVGGElement; light: SVGRectElement | null }

export class Plan {
  private description: Description | null = null;
  private states = new Map<number, DrawnState>();
  private ways = new Map<number, Element[]>();
  private wayOf = new Map<number, number>();
  private takenUntil = new Map<number, number>();
  private pointed: { way: number } | { state: number } | null = null;
  private reasons: Reasons[] = [];
  private row: Row | null = null;
  private saidAs = "";

  private walls: { svg: SVGSVGElement; width: number; height: number }[] = [];

  constructor(private source: Source) {
    new ResizeObserver(() => this.fit()).observe(byId("walls"));
  }

  /** As large as all of it is seen, as long as its words can be read. */
  private fit(): void {
    const room = byId("walls"), labels = 22 * this.walls.length;
    const widest = Math.max(1, ...this.walls.map((wall) => wall.width));
    const highest = this.walls.reduce((sum, wall) => sum + wall.height, 0) || 1;
    const scale = Math.min(1.2, (room.clientWidth - 22) / widest, Math.max(0.78, (room.clientHeight - labels) / highest));
    for (const { svg, width } of this.walls) { svg.style.width = `${Math.max(0.5, scale) * width}px`; }
  }

  document(description: Description): void {
    this.description = description;
    this.states.clear();
    this.ways.clear();
    this.wayOf.clear();
    this.takenUntil.clear();
    this.pointed = null;
    this.reasons = [];
    this.walls = [];
    const walls = byId("walls");
    walls.replaceChildren();
    if (!description.plan) {
      walls.append(this.list(description));
    } else {
      description.plan.ways.forEach((way, w) => way.transitions.forEach((t) => this.wayOf.set(t, w)));
      for (const layer of description.plan.layers) {
        const info = description.layers[layer.layer]!;
        const where = info.mask === "" ? "" : `, on ${info.mask}`;
        walls.append(element("div", { class: "layer" }, (info.one_shots ? "one-shots" : info.name) + where),
          this.wall(layer, description));
      }
    }
    this.across(walls, description);
    this.fit();
    this.point(null);
  }

  /** What one layer does to another, in words: no line goes from wall to wall. */
  private across(walls: HTMLElement, description: Description): void {
    const lines = (description.plan?.ways ?? []).map((way, w) => ({ way, w })).filter(({ way }) => way.kind !== "way");
    if (lines.length === 0) { return; }
    walls.append(element("div", { class: "layer" }, "from layer to layer"));
    for (const { way, w } of lines) {
      const name = (state: number): string => description.states[state]?.full ?? "";
      const when = description.transitions[way.transitions[0]!]!.when;
      const text = way.kind === "lead" ? `${name(way.from)} leads to ${name(way.to)}${when.includes(", ") ? when.slice(when.indexOf(",")) : ""}`
        : `${name(way.from)} yields, ${when}: to ${name(way.to)}`;
      const line = element("div", { class: "across", tabindex: 0, "data-way": `${name(way.from)} to ${name(way.to)}` }, text);
      this.pointable(line, { way: w });
      this.ways.set(w, [...(this.ways.get(w) ?? []), line]);
    }
  }

  /** Without a layout: names alone. */
  private list(description: Description): HTMLElement {
    const out = element("div", { class: "keys" });
    description.states.forEach((state, s) => {
      const group = drawn("svg", { width: 120, height: 24, viewBox: "0 0 120 24" });
      group.append(this.state(s, [1, 1, 118, 22], state.full));
      out.append(group);
    });
    return out;
  }

  private wall(layer: PlannedLayer, description: Description): SVGSVGElement {
    const [width, height] = [layer.size[0]! + 8, layer.size[1]! + 8];
    const svg = drawn("svg", { viewBox: `-4 -4 ${width} ${height}`, role: "group",
      "aria-label": description.layers[layer.layer]!.name });
    this.walls.push({ svg, width, height });
    const order = [...layer.states].sort((a, b) => b.box[2]! * b.box[3]! - a.box[2]! * a.box[3]!);
    const machines = order.filter(({ state }) => description.states[state]!.machine);
    const others = order.filter(({ state }) => !description.states[state]!.machine);
    for (const { state, box } of machines) { svg.append(this.state(state, box, description.states[state]!.name)); }
    for (const { box } of layer.any) {
      svg.append(drawn("g", { class: "any" }, drawn("rect", { x: box[0]!, y: box[1]!, width: box[2]!, height: box[3]!, rx: 3 }),
        drawn("text", { x: box[0]! + box[2]! / 2, y: box[1]! + box[3]! / 2 }, "any of them")));
    }
    for (const { way, line } of layer.ways) { svg.append(this.way(way, line)); }
    for (const { state, box } of others) { svg.append(this.state(state, box, description.states[state]!.name)); }
    return svg;
  }

  private state(state: number, box: number[], name: string): SVGGElement {
    const [x, y, width, height] = box as [number, number, number, number];
    const info = this.description!.states[state]!;
    const own = name.slice(name.lastIndexOf(".") + 1);
    const group = drawn("g", { class: info.machine ? "state machine" : "state", tabindex: 0, role: "button",
      "aria-label": `${info.full}: enter it`, "data-state": info.full });
    group.append(drawn("rect", { x, y, width, height }));
    let light: SVGRectElement | null = null;
    if (!info.machine) {
      light = drawn("rect", { class: "light", x: x + 2, y: y + 2, width: 0, height: height - 4 });
      group.append(light);
    }
    group.append(info.machine ? drawn("text", { x: x + 5, y: y + 9 }, own)
      : drawn("text", { x: x + width / 2, y: y + height / 2 }, own));
    group.append(drawn("title", {}, `${info.full}; click to enter it`));
    const enter = (): void => this.source.ask({ ask: "enter", state: info.full, fade: 0.2 });
    group.addEventListener("click", (event) => { event.stopPropagation(); enter(); });
    group.addEventListener("keydown", (event) => {
      if (event.key === "Enter" || event.key === " ") { event.preventDefault(); event.stopPropagation(); enter(); }
    });
    this.pointable(group, { state });
    this.states.set(state, { group, light });
    return group;
  }

  private way(way: number, line: number[]): SVGGElement {
    const info = this.description!.plan!.ways[way]!;
    let path = `M${line[0]} ${line[1]}`;
    let at = 2;
    for (; at + 5 < line.length; at += 6) { path += `C${line.slice(at, at + 6).join(" ")}`; }
    for (; at + 1 < line.length; at += 2) { path += `L${line[at]} ${line[at + 1]}`; }
    const [tipX, tipY, backX, backY] = [line.at(-2)!, line.at(-1)!, line.at(-4)!, line.at(-3)!];
    const angle = Math.atan2(tipY - backY, tipX - backX) * 180 / Math.PI;
    const from = info.from < 0 || info.from_any ? "any of them" : this.description!.states[info.from]!.full;
    const to = this.description!.states[info.to]!.full;
    const group = drawn("g", { class: `way ${info.kind}`, tabindex: 0, role: "img", "aria-label": `from ${from} to ${to}`,
      "data-way": `${from} to ${to}` },
      drawn("path", { d: path }), drawn("path", { d: path, class: "grasp" }),
      drawn("polygon", { class: "tip", points: "0,0 -6,2.6 -6,-2.6", transform: `translate(${tipX} ${tipY}) rotate(${angle})` }));
    this.pointable(group, { way });
    this.ways.set(way, [...(this.ways.get(way) ?? []), group]);
    return group;
  }

  private pointable(group: Element, what: { way: number } | { state: number }): void {
    const on = (event: Event): void => { event.stopPropagation(); this.point(what); };
    group.addEventListener("pointerenter", on);
    group.addEventListener("focus", on);
  }

  private point(what: { way: number } | { state: number } | null): void {
    for (const groups of this.ways.values()) { for (const group of groups) { group.classList.remove("pointed"); } }
    this.pointed = what;
    if (what && "way" in what) { for (const group of this.ways.get(what.way) ?? []) { group.classList.add("pointed"); } }
    this.saidAs = "";
    this.source.ask({ ask: "ways", wanted: what !== null });
    this.say();
  }

  heard(reasons: Reasons[]): void {
    this.reasons = reasons;
    this.say();
  }

  /** What a way needs and what stops it now; of a state, the ways that lead there from what is active. */
  private say(): void {
    const { description, pointed, row } = this;
    const out = byId("why");
    if (!description || !pointed || !description.plan) {
      this.put(out, "-", [element("span", {}, "Point at a way to see what it needs and what stops it now; click a state to enter it.")]);
      return;
    }
    const name = (state: number): string => description.states[state]?.full ?? "any of them";
    const lines = (transition: number): Node[] => {
      const info = description.transitions[transition]!;
      const found = this.reasons.find((r) => r.transition === transition);
      const head = element("div", {}, element("b", {}, `${name(info.from)} to ${name(info.to)}`),
        ` ${info.when === "" ? "at its end" : info.when}; fade ${info.fade_by || `${info.fade} s`}`);
      if (!found) { return [head]; }
      const parts = element("ul", {}, ...found.parts.map((part) => element("li", { class: part.holds ? "holds" : "stops" },
        part.text + (part.values ? ` (${part.values})` : ""))));
      return [head, parts];
    };
    let nodes: Node[] = [];
    if ("way" in pointed) {
      const way = description.plan.ways[pointed.way]!;
      const live = way.transitions.find((t) => this.reasons.some((r) => r.transition === t));
      nodes = lines(live ?? way.transitions[0]!);
      if (live === undefined && way.kind === "way") {
        nodes.push(element("div", { class: "stops" }, `it is not in ${name(way.from_any ? description.transitions[way.transitions[0]!]!.from : way.from)} now`));
      }
    } else {
      const inside = (state: number): boolean => {
        for (let s = state; s >= 0; s = description.states[s]!.parent) { if (s === pointed.state) { return true; } }
        return false;
      };
      const layer = description.states[pointed.state]!.layer, active = row?.layers[layer]?.state;
      const into = this.reasons.filter((r) => inside(description.transitions[r.transition]!.to) &&
        !description.transitions[r.transition]!.within);
      if (active !== undefined && inside(active)) {
        nodes = [element("div", { class: "holds" }, `${name(pointed.state)} is active. Ways out:`)];
        const out2 = this.reasons.filter((r) => {
          const t = description.transitions[r.transition]!;
          return description.states[t.to]!.layer === layer && !inside(t.to) && !t.within;
        });
        for (const r of out2) { nodes.push(...lines(r.transition)); }
      } else if (into.length === 0) {
        const all = description.transitions.filter((t) => inside(t.to) && !t.within && t.from >= 0 && !inside(t.from));
        const froms = [...new Set(all.map((t) => name(t.from)))];
        nodes = [element("div", { class: "stops" },
          `No way leads to ${name(pointed.state)} from ${active === undefined ? "here" : name(active)}.`),
          element("div", {}, froms.length > 0 ? `Ways come from ${froms.join(", ")}.` : "No way leads there at all.")];
      } else {
        for (const r of into) { nodes.push(...lines(r.transition)); }
      }
    }
    this.put(out, nodes.map((n) => n.textContent).join("\n") + JSON.stringify(this.reasons.map((r) => r.parts.map((p) => p.holds))), nodes);
  }
  private put(out: HTMLElement, as: string, nodes: Node[]): void {
    if (as === this.saidAs) { return; }
    this.saidAs = as;
    out.replaceChildren(...nodes);
  }

  shown(row: Row): void {
    this.row = row;
    const now = performance.now();
    for (const { transition } of row.taken) {
      const way = this.wayOf.get(transition);
      if (way === undefined) { continue; }
      this.takenUntil.set(way, now + 1000);
      for (const group of this.ways.get(way) ?? []) { group.classList.add("taken"); }
    }
    for (const [way, until] of this.takenUntil) {
      if (now < until) { continue; }
      this.takenUntil.delete(way);
      for (const group of this.ways.get(way) ?? []) { group.classList.remove("taken"); }
    }
    const weights = new Map<number, number>(), active = new Set<number>();
    for (const layer of row.layers) {
      for (const instance of layer.instances) {
        weights.set(instance.state, (weights.get(instance.state) ?? 0) + instance.weight);
      }
      for (let s = layer.state; s >= 0; s = this.description?.states[s]?.parent ?? -1) { active.add(s); }
    }
    for (const [state, { group, light }] of this.states) {
      group.classList.toggle("active", active.has(state));
      if (!light) { continue; }
      const outline = group.firstElementChild!;
      const wide = (Number(outline.getAttribute("width")) - 4) * Math.max(0, Math.min(1, weights.get(state) ?? 0));
      const text = wide.toFixed(1);
      if (light.getAttribute("width") !== text) { light.setAttribute("width", text); }
    }
  }
}
