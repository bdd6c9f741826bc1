// What the stage's server says, as docs/stage.md lays it down.

export interface Parameter {
  name: string; kind: "number" | "angle" | "flag" | "choice" | "signal";
  low: number | null; high: number | null; default: number; smooth: number; at_most: number;
  unit: string; note: string; of: string[]; computed: boolean; tune: boolean; one_shot: boolean;
}
export interface Value { name: string; kind: string; of: string[]; unit: string; note: string }
export interface Layer { name: string; mask: string; weights: number[]; one_shots: boolean; adds: boolean }
export interface State { name: string; full: string; parent: number; layer: number; machine: boolean; nothing: boolean }
export interface Transition {
  from: number; to: number; when: string; fade: number; fade_by: string; style: string; line: number; within: boolean;
}
export interface Space {
  state: number; parameters: string[]; units: string[]; velocities: boolean;
  points: { at: number[]; drawn: number[]; clips: string[] }[];
  cells: number[][]; rim: number[][]; low: number[]; high: number[];
}
export interface Way { transitions: number[]; from: number; from_any: boolean; to: number; kind: "way" | "lead" | "yield" }
export interface Material { colour: number[]; roughness: number; picture: number; cut_out: boolean; both_sides: boolean }
export interface PlannedLayer {
  layer: number; size: number[]; states: { state: number; box: number[] }[];
  any: { box: number[] }[]; ways: { way: number; line: number[] }[];
}
export interface Description {
  says: "document"; version: number; file: string; about: string; frames_per_second: number;
  joints: { name: string; parent: number }[]; joint_reals: number; feet: string[];
  parameters: Parameter[]; values: Value[]; layers: Layer[]; states: State[]; transitions: Transition[];
  clips: { name: string; seconds: number; loops: boolean }[]; spaces: Space[]; marks: string[]; spans: string[];
  drive: { speed: number; heading: number }; bounds: { pop: number; seam: number; snap: number };
  masks: { name: string; weights: number[] }[]; materials: Material[];
  plan: { layers: PlannedLayer[]; ways: Way[] } | null; gone?: string[];
}
export interface Finding { severity: string; message: string; text: string }
export interface Reasons { transition: number; holds: boolean; parts: { text: string; values: string; holds: boolean }[] }
export interface FoundSnap { time: number; ratio: number; jolt: number; joint: number; transition: number }
export type Said =
  | Description
  | { says: "findings"; broken: boolean; findings: Finding[] }
  | { says: "clock"; playing: boolean; slow: number }
  | { says: "ways"; ways: Reasons[] }
  | { says: "snaps"; snaps: FoundSnap[] }
  | { says: "cues"; text: string }
  | { says: "refused"; why: string };

export interface PlayedClip { clip: number; weight: number; phase: number }
export interface PlayedInstance { state: number; transition: number; weight: number; part: number; clips: PlayedClip[] }
export interface PlayedLayer { state: number; weight: number; instances: PlayedInstance[] }
/** A frame of the score; the place in metres and degrees, the rest in the document's units. */
export interface Row {
  frame: number; newest: number; oldest: number; anew: boolean;
  x: number; y: number; z: number; heading: number; moveX: number; moveZ: number;
  jolt: number; pop: number; popJoint: number; popTransition: number; seam: number;
  raw: Float32Array; smoothed: Float32Array; values: Float32Array; layers: PlayedLayer[];
  feet: boolean[]; taken: { transition: number; from: number }[]; events: { kind: number; what: number }[]; sent: number[];
  cursor: { state: number; at: [number, number] } | null;
}
/** Joints in body space, `joint_reals` numbers each: a quaternion, a place, and where something scales a scale. */
export interface Shown { row: Row; joints: Float32Array; ghost: Float32Array | null }

class Reader {
  private at: number;
  constructor(private view: DataView, start: number) { this.at = start; }
  u8(): number { return this.view.getUint8(this.at++); }
  u16(): number { this.at += 2; return this.view.getUint16(this.at - 2, true); }
  i16(): number { this.at += 2; return this.view.getInt16(this.at - 2, true); }
  u32(): number { this.at += 4; return this.view.getUint32(this.at - 4, true); }
  i32(): number { this.at += 4; return this.view.getInt32(this.at - 4, true); }
  f32(): number { this.at += 4; return this.view.getFloat32(this.at - 4, true); }
  f64(): number { this.at += 8; return this.view.getFloat64(this.at - 8, true); }
  skip(bytes: number): void { this.at += bytes; }
  place(): number { return this.at; }
  list<T>(read: () => T): T[] { return Array.from({ length: this.u8() }, read); }
  floats(count: number): Float32Array {
    const out = new Float32Array(count);
    for (let i = 0; i < count; ++i) { out[i] = this.f32(); }
    return out;
  }
}

function readFrame(view: DataView, start: number, document: Description): Shown | Row {
  const from = new Reader(view, start);
  from.u8();
  const flags = from.u8();
  from.u16();
  const count = document.parameters.length;
  const row: Row = {
    frame: from.i32(), newest: from.i32(), oldest: from.i32(), anew: (flags & 8) !== 0,
    x: from.f64(), y: from.f64(), z: from.f64(), heading: from.f64(), moveX: from.f32(), moveZ: from.f32(),
    jolt: from.f32(), pop: from.f32(), popJoint: from.i16(), popTransition: from.u16(), seam: from.f32(),
    raw: new Float32Array(count), smoothed: new Float32Array(count), values: new Float32Array(0),
    layers: [], feet: [], taken: [], events: [], sent: [], cursor: null,
  };
  for (let p = 0; p < count; ++p) {
    row.raw[p] = from.f32();
    row.smoothed[p] = from.f32();
  }
  row.values = from.floats(document.values.length);
  row.layers = document.layers.map(() => ({
    state: from.u16(), weight: from.f32(),
    instances: from.list(() => ({
      state: from.u16(), transition: from.u16(), weight: from.f32(), part: from.f32(),
      clips: from.list(() => ({ clip: from.u16(), weight: from.f32(), phase: from.f32() })),
    })),
  }));
  row.feet = from.list(() => from.u8() !== 0);
  row.taken = from.list(() => ({ transition: from.u16(), from: from.u16() }));
  row.events = from.list(() => ({ kind: from.u8(), what: from.u16() }));
  row.sent = from.list(() => from.u16());
  if ((flags & 4) !== 0) { row.cursor = { state: from.u16(), at: [from.f32(), from.f32()] }; }
  if ((flags & 1) === 0) { return row; }
  const reals = document.joints.length * document.joint_reals;
  return { row, joints: from.floats(reals), ghost: (flags & 2) !== 0 ? from.floats(reals) : null };
}

export function readShown(bytes: ArrayBuffer, document: Description): Shown {
  return readFrame(new DataView(bytes), 0, document) as Shown;
}

/** Rows one after another, each with its length before it. */
export function readRows(bytes: ArrayBuffer, start: number, document: Description): Row[] {
  const view = new DataView(bytes);
  const rows: Row[] = [];
  for (let at = start; at + 4 <= bytes.byteLength;) {
    const length = view.getUint32(at, true);
    rows.push(readFrame(view, at + 4, document) as Row);
    at += 4 + length;
  }
  return rows;
}

/** The body as it is drawn: see `body` in docs/stage.md. */
export interface Body {
  inverseBind: Float32Array; positions: Float32Array; places: Float32Array; joints: Uint16Array; weights: Float32Array;
  triangles: Uint32Array; materialOf: Uint32Array;
}
export function readBody(bytes: ArrayBuffer): Body {
  const view = new DataView(bytes);
  const joints = view.getUint32(0, true), vertices = view.getUint32(4, true), triangles = view.getUint32(8, true);
  let at = 12;
  const take = (size: number): ArrayBuffer => { at += size; return bytes.slice(at - size, at); };
  return {
    inverseBind: new Float32Array(take(joints * 64)),
    positions: new Float32Array(take(vertices * 12)),
    places: new Float32Array(take(vertices * 8)),
    joints: new Uint16Array(take(vertices * 8)),
    weights: new Float32Array(take(vertices * 16)),
    triangles: new Uint32Array(take(triangles * 12)),
    materialOf: new Uint32Array(take(triangles * 4)),
  };
}
