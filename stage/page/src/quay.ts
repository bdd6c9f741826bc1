// The quay: the body on its floor, in three dimensions.
import * as THREE from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import { byId, colours, isTakenByFocus, pencil, press, short, sideOf, toggle } from "./look";
import { Body, Description, Row, Shown } from "./wire";

const mostPrints = 600, mostWay = 1800;

/** A body whose bones are put where frames say. */
class Figure {
  readonly group = new THREE.Group();
  private bones: THREE.Bone[];
  private mesh: THREE.SkinnedMesh | null = null;
  private limbs: THREE.Mesh[] = [];
  private parents: number[];

  constructor(private description: Description, body: Body, material: THREE.Material | THREE.Material[],
    geometry: THREE.BufferGeometry | null) {
    this.parents = description.joints.map((joint) => joint.parent);
    this.bones = description.joints.map(() => {
      const bone = new THREE.Bone();
      bone.matrixAutoUpdate = false;
      bone.matrixWorldAutoUpdate = false;
      return bone;
    });
    if (geometry) {
      const inverse = description.joints.map((_, j) => new THREE.Matrix4().fromArray(body.inverseBind, j * 16));
      this.mesh = new THREE.SkinnedMesh(geometry, material);
      this.mesh.bindMode = THREE.DetachedBindMode;
      this.mesh.bind(new THREE.Skeleton(this.bones, inverse), new THREE.Matrix4());
      this.mesh.frustumCulled = false;
      this.mesh.castShadow = true;
      this.group.add(this.mesh);
    } else {
      // Limbs with width where the file has no skin.
      const shape = new THREE.CylinderGeometry(0.5, 1, 1, 8);
      shape.translate(0, 0.5, 0);
      this.parents.forEach((parent) => {
        const limb = new THREE.Mesh(shape, material instanceof Array ? material[0] : material);
        limb.castShadow = true;
        limb.visible = parent >= 0;
        this.limbs.push(limb);
        this.group.add(limb);
      });
    }
  }

  pose(joints: Float32Array): void {
    const reals = this.description.joint_reals, turn = new THREE.Quaternion(), place = new THREE.Vector3();
    const size = new THREE.Vector3(1, 1, 1);
    this.bones.forEach((bone, j) => {
      const at = j * reals;
      turn.set(joints[at]!, joints[at + 1]!, joints[at + 2]!, joints[at + 3]!);
      place.set(joints[at + 4]!, joints[at + 5]!, joints[at + 6]!);
      if (reals === 10) { size.set(joints[at + 7]!, joints[at + 8]!, joints[at + 9]!); }
      bone.matrixWorld.compose(place, turn, size);
    });
    this.mesh?.skeleton.update();
    const up = new THREE.Vector3(0, 1, 0), from = new THREE.Vector3(), to = new THREE.Vector3();
    this.limbs.forEach((limb, j) => {
      const parent = this.parents[j]!;
      if (parent < 0) { return; }
      from.setFromMatrixPosition(this.bones[parent]!.matrixWorld);
      to.setFromMatrixPosition(this.bones[j]!.matrixWorld).sub(from);
      const length = to.length();
      limb.visible = length > 0.01;
      limb.position.copy(from);
      limb.scale.set(0.16 * length + 0.006, length, 0.16 * length + 0.006);
      if (limb.visible) { limb.quaternion.setFromUnitVectors(up, to.normalize()); }
    });
  }
  jointPlace(joint: number, out: THREE.Vector3): THREE.Vector3 {
    return out.setFromMatrixPosition(this.bones[joint]!.matrixWorld).applyMatrix4(this.group.matrixWorld);
  }
  dispose(): void {
    this.mesh?.skeleton.dispose();
    this.limbs[0]?.geometry.dispose();
  }
}

/** Corner by corner, so that each triangle has a colour of its own over normals that are smooth. */
function geometryOf(body: Body): THREE.BufferGeometry {
  const whole = new THREE.BufferGeometry();
  whole.setAttribute("position", new THREE.BufferAttribute(body.positions, 3));
  whole.setIndex(new THREE.BufferAttribute(body.triangles, 1));
  whole.computeVertexNormals();
  whole.setAttribute("skinIndex", new THREE.BufferAttribute(body.joints, 4));
  whole.setAttribute("skinWeight", new THREE.BufferAttribute(body.weights, 4));
  whole.setAttribute("uv", new THREE.BufferAttribute(body.places, 2));
  const corners = whole.toNonIndexed();
  corners.setAttribute("color", new THREE.BufferAttribute(new Float32Array(corners.getAttribute("position").count * 3), 3));
  whole.dispose();
  // Triangles of one material stand together.
  for (let from = 0; from < body.materialOf.length;) {
    let to = from;
    while (to < body.materialOf.length && body.materialOf[to] === body.materialOf[from]) { ++to; }
    corners.addGroup(from * 3, (to - from) * 3, body.materialOf[from]);
    from = to;
  }
  return corners;
}

/** Lines a metre apart, in pieces of a metre. */
function metreLines(): THREE.LineSegments {
  const far = 24, points: number[] = [];
  for (let a = -far; a <= far; ++a) {
    for (let b = -far; b < far; ++b) { points.push(a, 0, b, a, 0, b + 1, b, 0, a, b + 1, 0, a); }
  }
  const shape = new THREE.BufferGeometry();
  shape.setAttribute("position", new THREE.Float32BufferAttribute(points, 3));
  const lines = new THREE.LineSegments(shape, new THREE.LineBasicMaterial({ transparent: true, opacity: 0.5 }));
  lines.frustumCulled = false;
  return lines;
}

export class Quay {
  /** Null where this browser draws nothing in three dimensions. */
  private renderer: THREE.WebGLRenderer | null = null;
  private scene = new THREE.Scene();
  private camera = new THREE.PerspectiveCamera(38, 1, 0.05, 400);
  private controls: OrbitControls;
  private sun = new THREE.DirectionalLight(0xffe2b0, 2.2);
  private sky = new THREE.HemisphereLight(0xdfe8f5, 0x6e6557, 1.4);
  private floor: THREE.Mesh;
  private grid = metreLines();
  private figure: Figure | null = null;
  private ghost: Figure | null = null;
  private geometry: THREE.BufferGeometry | null = null;
  private materials: THREE.MeshStandardMaterial[] = [];
  private plain = new THREE.MeshStandardMaterial({ color: 0x9a8f80, roughness: 0.85 });
  private pale = new THREE.MeshBasicMaterial({ color: 0x7d93ad, transparent: true, opacity: 0.28, depthWrite: false });
  private way = new THREE.Line(new THREE.BufferGeometry(), new THREE.LineBasicMaterial());
  private wayPoints: THREE.Vector3[] = [];
  private prints: { frame: number; foot: number; mesh: THREE.Mesh }[] = [];
  private printShape = new THREE.CircleGeometry(0.055, 14);
  private printPaint: Record<string, THREE.MeshBasicMaterial> = {};
  private feetDown: boolean[] = [];
  private footJoints: number[] = [];
  private description: Description | null = null;
  private body: Body | null = null;
  private last: Shown | null = null;
  private before: Shown | null = null;
  private cameAt = 0;
  private slow = 1;
  private follows = true;
  private shows = { ghost: true, joints: false, names: false };
  private tint = -1; // a mask's index; -1 the file's own looks
  private place = new THREE.Vector3();
  private bones: THREE.LineSegments;

  /** `wayUntil` gives the places up to a frame, as the score knows them. */
  constructor(private wayUntil: (frame: number) => { x: number; y: number; z: number }[],
    private pictureAt: (index: number) => string) {
    const canvas = byId("floor") as HTMLCanvasElement;
    try {
      this.renderer = new THREE.WebGLRenderer({ canvas, antialias: true });
      this.renderer.shadowMap.enabled = true;
      this.renderer.shadowMap.type = THREE.PCFSoftShadowMap;
    } catch {
      byId("quay-line").textContent = "This browser has no WebGL 2 to draw the body with; all else works.";
    }
    this.camera.position.set(2.6, 1.7, 3.4);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.target.set(0, 0.85, 0);
    this.controls.maxPolarAngle = Math.PI * 0.53;
    this.controls.minDistance = 0.6;
    this.controls.maxDistance = 60;
    this.controls.listenToKeyEvents(document.createElement("div")); // keys walk her
    this.sun.castShadow = true;
    this.sun.shadow.mapSize.set(1024, 1024);
    const reach = this.sun.shadow.camera;
    reach.left = reach.bottom = -2.4;
    reach.right = reach.top = 2.4;
    reach.far = 14;
    this.sun.shadow.radius = 5;
    this.floor = new THREE.Mesh(new THREE.PlaneGeometry(400, 400), new THREE.MeshStandardMaterial({ roughness: 1, polygonOffset: true, polygonOffsetFactor: 3, polygonOffsetUnits: 3 }));
    this.floor.rotation.x = -Math.PI / 2;
    this.floor.receiveShadow = true;
    this.bones = new THREE.LineSegments(new THREE.BufferGeometry(),
      new THREE.LineBasicMaterial({ depthTest: false, transparent: true }));
    this.bones.frustumCulled = this.way.frustumCulled = false;
    this.bones.renderOrder = 2;
    this.scene.add(this.floor, this.sun, this.sun.target, this.sky, this.grid, this.way, this.bones);
    this.tools();
    this.themed();
    window.addEventListener("keydown", (event) => this.looks(event));
  }

  private tools(): void {
    const from = (text: string, title: string, x: number, y: number, z: number): HTMLButtonElement => press(text, () => {
      const yaw = -(this.last?.row.heading ?? 0) * Math.PI / 180, away = this.camera.position.distanceTo(this.controls.target);
      const offset = new THREE.Vector3(x, y, z).applyAxisAngle(new THREE.Vector3(0, 1, 0), yaw).setLength(away);
      this.camera.position.copy(this.controls.target).add(offset);
    }, title);
    byId("quay-tools").append(
      toggle("follow", true, (on) => { this.follows = on; }, "The view goes with the body"),
      from("front", "From before it", 0, 0.15, 1), from("side", "From its left", 1, 0.1, 0),
      from("behind", "From behind it", 0, 0.35, -1), from("above", "From above", 0, 1, 0.001),
      toggle("ghost", true, (on) => { this.shows.ghost = on; }, "The motion that is being left"),
      toggle("joints", false, (on) => { this.shows.joints = on; }),
      toggle("names", false, (on) => { this.shows.names = on; }, "The joints' names"));
  }

  /** Keys: nearer and farther, and round her to either side. */
  private looks(event: KeyboardEvent): void {
    if (isTakenByFocus(event)) { return; }
    const offset = this.camera.position.clone().sub(this.controls.target), step = Math.PI / 24;
    switch (event.key) {
      case "+": offset.multiplyScalar(1 / 1.15); break;
      case "-": offset.multiplyScalar(1.15); break;
      case "[": offset.applyAxisAngle(new THREE.Vector3(0, 1, 0), -step); break;
      case "]": offset.applyAxisAngle(new THREE.Vector3(0, 1, 0), step); break;
      default: return;
    }
    this.camera.position.copy(this.controls.target).add(offset);
  }

  themed(): void {
    const c = colours();
    this.scene.background = new THREE.Color(c.paper);
    this.scene.fog = new THREE.Fog(c.paper, 12, 40);
    (this.floor.material as THREE.MeshStandardMaterial).color.set(c.key);
    (this.way.material as THREE.LineBasicMaterial).color.set(c.lamp);
    (this.bones.material as THREE.LineBasicMaterial).color.set(c.ink);
    (this.grid.material as THREE.LineBasicMaterial).color.set(c.faint);
    for (const side of ["left", "right", "middle"] as const) {
      this.printPaint[side] ??= new THREE.MeshBasicMaterial({ transparent: true, opacity: 0.8 });
      this.printPaint[side].color.set(side === "middle" ? c.faint : c[side]);
    }
  }

  document(description: Description): void {
    this.description = description;
    this.last = this.before = null;
    this.footJoints = description.feet.map((foot) => {
      const ankle = description.joints.findIndex((joint) => joint.name === foot);
      const toes = description.joints.findIndex((joint) => joint.parent === ankle);
      return toes >= 0 ? toes : ankle;
    });
    const tools = byId("quay-tools");
    tools.querySelector("select")?.remove();
    this.tint = -1;
    if (description.masks.length > 0) {
      const select = document.createElement("select");
      select.setAttribute("aria-label", "Weights shown on the skin");
      select.add(new Option("own colours", "-1"));
      description.masks.forEach((mask, m) => {
        const users = description.layers.filter((layer) => layer.mask === mask.name)
          .map((layer) => (layer.one_shots ? "one-shots" : layer.name));
        select.add(new Option(users.length > 0 ? `${mask.name}: ${users.join(", ")}` : mask.name, String(m)));
      });
      select.addEventListener("change", () => {
        this.tint = Number(select.value);
        this.colour();
      });
      tools.append(select);
    }
  }

  setBody(body: Body): void {
    const description = this.description;
    if (!description) { return; }
    for (const old of [this.figure, this.ghost]) {
      if (old) { this.scene.remove(old.group); old.dispose(); }
    }
    this.geometry?.dispose();
    this.body = body;
    this.makeMaterials(description);
    this.geometry = body.triangles.length > 0 ? geometryOf(body) : null;
    this.colour();
    this.figure = new Figure(description, body, this.geometry ? this.materials : this.plain, this.geometry);
    this.ghost = new Figure(description, body, this.pale, this.geometry);
    this.ghost.group.traverse((part) => { part.castShadow = false; });
    this.scene.add(this.figure.group, this.ghost.group);
  }

  private makeMaterials(description: Description): void {
    for (const old of this.materials) {
      (old.userData.picture as THREE.Texture | undefined)?.dispose();
      old.dispose();
    }
    const loader = new THREE.TextureLoader();
    this.materials = description.materials.map((look) => new THREE.MeshStandardMaterial({
      vertexColors: true, roughness: Math.max(0.4, look.roughness), alphaTest: look.cut_out ? 0.5 : 0,
      side: look.both_sides ? THREE.DoubleSide : THREE.FrontSide,
    }));
    description.materials.forEach((look, m) => {
      if (look.picture < 0) { return; }
      const picture = loader.load(this.pictureAt(look.picture));
      picture.colorSpace = THREE.SRGBColorSpace;
      picture.wrapS = picture.wrapT = THREE.RepeatWrapping;
      picture.flipY = false; // glTF counts down from the top
      this.materials[m]!.userData.picture = picture;
    });
  }

  /** The file's own colours, or how much a mask counts where. */
  private colour(): void {
    const { geometry, body, description } = this;
    if (!geometry || !body || !description) { return; }
    const colour = geometry.getAttribute("color") as THREE.BufferAttribute;
    const weights = this.tint >= 0 ? description.masks[this.tint]?.weights : undefined;
    for (const material of this.materials) {
      const map = weights ? null : (material.userData.picture as THREE.Texture | undefined) ?? null;
      if (material.map !== map) {
        material.map = map;
        material.needsUpdate = true;
      }
    }
    const none = new THREE.Color(colours().line), all = new THREE.Color(colours().lamp), mixed = new THREE.Color();
    for (let corner = 0; corner < colour.count; ++corner) {
      if (weights) {
        const vertex = body.triangles[corner]!;
        let sum = 0;
        for (let k = 0; k < 4; ++k) { sum += body.weights[vertex * 4 + k]! * (weights[body.joints[vertex * 4 + k]!] ?? 0); }
        mixed.lerpColors(none, all, sum);
        colour.setXYZ(corner, mixed.r, mixed.g, mixed.b);
      } else {
        const [red, green, blue] = description.materials[body.materialOf[Math.floor(corner / 3)]!]?.colour ?? [0.5, 0.5, 0.5];
        colour.setXYZ(corner, red!, green!, blue!);
      }
    }
    colour.needsUpdate = true;
  }

  slowed(times: number): void { this.slow = times; }

  shown(shown: Shown): void {
    const ahead = shown.row.frame - (this.last?.row.frame ?? shown.row.frame), leap = 30; // frames: a jump in time
    if (ahead < 0 || ahead > leap) { this.goBack(this.wayUntil(shown.row.frame)); }
    this.before = this.last && shown.row.frame === this.last.row.frame + 1 ? this.last : null;
    this.last = shown;
    this.cameAt = performance.now();
    this.leaveTraces(shown.row);
  }

  /** What was left on the ground later is not there yet. */
  private goBack(way: { x: number; y: number; z: number }[]): void {
    this.wayPoints = way.slice(-mostWay).map((place) => new THREE.Vector3(place.x, place.y + 0.004, place.z));
    this.drawWay();
    this.feetDown = [];
  }

  private leaveTraces(row: Row): void {
    const here = new THREE.Vector3(row.x, row.y + 0.004, row.z), last = this.wayPoints.at(-1);
    if (!last || last.distanceTo(here) > 0.03) {
      this.wayPoints.push(here);
      if (this.wayPoints.length > mostWay) { this.wayPoints.shift(); }
      this.drawWay();
    }
    this.stand(row);
    // What was left later is not there yet, or where another story began never will be.
    this.prints = this.prints.filter((print) => {
      const stays = print.frame <= row.newest;
      if (!stays) { this.scene.remove(print.mesh); }
      print.mesh.visible = print.frame <= row.frame;
      return stays;
    });
    row.feet.forEach((down, foot) => {
      const joint = this.footJoints[foot] ?? -1;
      const known = (): boolean => this.prints.some((p) => p.foot === foot && Math.abs(p.frame - row.frame) < 4);
      if (down && this.feetDown[foot] === false && joint >= 0 && this.figure && this.last && !known()) {
        this.figure.pose(this.last.joints);
        const side = sideOf(this.description?.feet[foot] ?? "");
        const print = new THREE.Mesh(this.printShape, this.printPaint[side]);
        this.figure.jointPlace(joint, print.position);
        print.position.y = row.y + 0.006;
        print.rotation.set(-Math.PI / 2, 0, -row.heading * Math.PI / 180);
        print.scale.set(0.8, 1.6, 1);
        this.prints.push({ frame: row.frame, foot, mesh: print });
        this.scene.add(print);
        if (this.prints.length > mostPrints) { this.scene.remove(this.prints.shift()!.mesh); }
      }
      this.feetDown[foot] = down;
    });
  }

  private drawWay(): void {
    let places = this.way.geometry.getAttribute("position") as THREE.BufferAttribute | undefined;
    if (!places) {
      places = new THREE.BufferAttribute(new Float32Array(mostWay * 3), 3);
      this.way.geometry.setAttribute("position", places);
    }
    this.wayPoints.forEach((point, i) => places.setXYZ(i, point.x, point.y, point.z));
    places.needsUpdate = true;
    this.way.geometry.setDrawRange(0, this.wayPoints.length);
  }

  private stand(row: { x: number; y: number; z: number; heading: number }): void {
    for (const figure of [this.figure, this.ghost]) {
      if (!figure) { continue; }
      figure.group.position.set(row.x, row.y, row.z);
      figure.group.rotation.y = -row.heading * Math.PI / 180;
      figure.group.updateMatrixWorld(true);
    }
  }

  /** Where the camera looks, degrees: 0 along +Z, positive toward -X. */
  cameraHeading(): number {
    const ahead = this.controls.target.clone().sub(this.camera.position);
    return Math.atan2(-ahead.x, ahead.z) * 180 / Math.PI;
  }

  private blendedRow(): { x: number; y: number; z: number; heading: number; joints: Float32Array } | null {
    const { last, before } = this;
    if (!last) { return null; }
    const part = before && this.slow > 1 ? Math.min(1, (performance.now() - this.cameAt) / (1000 / 60 * this.slow)) : 1;
    if (!before || part >= 1) { return { ...last.row, joints: last.joints }; }
    const mix = (a: number, b: number): number => a + part * (b - a);
    const joints = new Float32Array(last.joints.length), reals = this.description!.joint_reals;
    for (let at = 0; at < joints.length; at += reals) {
      let product = 0;
      for (let k = 0; k < 4; ++k) { product += before.joints[at + k]! * last.joints[at + k]!; }
      for (let k = 0; k < reals; ++k) {
        joints[at + k] = mix(before.joints[at + k]! * (k < 4 && product < 0 ? -1 : 1), last.joints[at + k]!);
      }
      const length = Math.hypot(joints[at]!, joints[at + 1]!, joints[at + 2]!, joints[at + 3]!) || 1;
      for (let k = 0; k < 4; ++k) { joints[at + k]! /= length; }
    }
    return { x: mix(before.row.x, last.row.x), y: mix(before.row.y, last.row.y), z: mix(before.row.z, last.row.z),
      heading: mix(before.row.heading, last.row.heading), joints };
  }

  draw(): void {
    const { renderer } = this;
    if (!renderer) { return; }
    const canvas = renderer.domElement, width = canvas.clientWidth, height = canvas.clientHeight;
    if (width < 2 || height < 2) { return; }
    const size = renderer.getSize(new THREE.Vector2());
    if (size.x !== width || size.y !== height) {
      renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2));
      renderer.setSize(width, height, false);
      this.camera.aspect = width / height;
      this.camera.updateProjectionMatrix();
    }
    const now = this.blendedRow();
    if (now && this.figure) {
      this.stand(now);
      this.figure.pose(now.joints);
      if (this.ghost) {
        const left = this.shows.ghost ? this.last?.ghost : null;
        this.ghost.group.visible = Boolean(left);
        if (left) { this.ghost.pose(left); }
      }
      const here = new THREE.Vector3(now.x, now.y, now.z), moved = here.clone().sub(this.place);
      this.place.copy(here);
      if (this.follows && moved.lengthSq() > 0) {
        this.camera.position.add(moved);
        this.controls.target.add(moved);
      }
      this.sun.position.copy(here).add(new THREE.Vector3(3, 6, 2.5));
      this.sun.target.position.copy(here);
      this.grid.position.set(Math.round(here.x), 0.003, Math.round(here.z));
      this.floor.position.set(here.x, 0, here.z);
      this.drawJoints();
      byId("quay-line").textContent = `${short(Math.hypot(this.last!.row.moveX, this.last!.row.moveZ))} m/s, ` +
        `at ${short(now.x)} m, ${short(now.z)} m`;
    }
    this.controls.update();
    renderer.render(this.scene, this.camera);
  }

  private drawJoints(): void {
    const { figure, description } = this;
    this.bones.visible = this.shows.joints;
    if (!figure || !description) { return; }
    if (this.shows.joints) {
      const points: THREE.Vector3[] = [];
      description.joints.forEach((joint, j) => {
        if (joint.parent < 0) { return; }
        points.push(figure.jointPlace(joint.parent, new THREE.Vector3()), figure.jointPlace(j, new THREE.Vector3()));
      });
      this.bones.geometry.setFromPoints(points);
    }
    const sheet = pencil(byId("names") as HTMLCanvasElement);
    if (!sheet || !this.shows.names) { return; }
    const at = new THREE.Vector3();
    sheet.draw.font = '10px "DejaVu Sans", sans-serif';
    sheet.draw.lineWidth = 3;
    sheet.draw.strokeStyle = colours().wall;
    sheet.draw.fillStyle = colours().ink;
    description.joints.forEach((joint, j) => {
      figure.jointPlace(j, at).project(this.camera);
      if (at.z > 1) { return; }
      const x = (at.x + 1) / 2 * sheet.width + 4, y = (1 - at.y) / 2 * sheet.height;
      sheet.draw.strokeText(joint.name, x, y);
      sheet.draw.fillText(joint.name, x, y);
    });
  }
}
