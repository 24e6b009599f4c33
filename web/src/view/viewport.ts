/**
 * The model view: a self-contained module that draws what it is given and reports what is touched.
 * It knows nothing of React; the view store and the bench drive it.
 */
import * as THREE from "three";
import { MeshBVH } from "three-mesh-bvh";
import { CellLayers, type CellLook, type Colouring } from "./cellLayers";
import { disposeSigns, edgeSigns } from "./edgeSigns";
import {
  type CellArrays,
  extents,
  longestStretch,
  regionBounds,
  regionLines,
  type SurfaceArrays,
  surfaceGeometry,
} from "./geometry";
import { rgb } from "./palette";
import { listenTo, type Rectangle, type Touch } from "./pointer";
import { SURFACE_FRAGMENT, SURFACE_VERTEX } from "./shaders";

const UP = new THREE.Vector3(0, 0, 1);
/** So many times its next longest side makes a part long; others keep the usual view. */
const LONG = 2.5;
/** Height in pixels that scale, ramp and tools take at the bottom. */
const FOOT = 110;
/** Ways of turning the first view, in degrees about the vertical; the usual one first. */
const TURNS = [0, 30, -30];

export interface RegionLook {
  colour: string;
  pattern: number;
  /** drawn from inside only, so that what it encloses shows */
  open?: boolean;
}

export interface Plane {
  normal: [number, number, number];
  offset: number;
}

export type { Rectangle, Touch } from "./pointer";

/** Where the camera is and how near: numbers alone, to be kept or sent to another view. */
export interface Pose {
  position: [number, number, number];
  quaternion: [number, number, number, number];
  up: [number, number, number];
  target: [number, number, number];
  zoom: number;
  top: number;
  span: number;
}

export type StandardView = "x" | "-x" | "y" | "-y" | "z" | "-z" | "corner";

const DIRECTIONS: Record<StandardView, [number, number, number]> = {
  x: [1, 0, 0],
  "-x": [-1, 0, 0],
  y: [0, 1, 0],
  "-y": [0, -1, 0],
  z: [0, 0, 1],
  "-z": [0, 0, -1],
  corner: [0.5, -0.85, 0.5],
};

const INK = 0x22262b;

/** The material so that it lies a hair above the surface, by the same amount everywhere. */
function onTop<M extends THREE.Material>(material: M): M {
  material.onBeforeCompile = (shader) => {
    shader.vertexShader = shader.vertexShader.replace(
      "#include <project_vertex>",
      "#include <project_vertex>\n  gl_Position.z -= 0.0008;",
    );
  };
  return material;
}

export class Viewport {
  onTouch: (touch: Touch) => void = () => {};
  onHover: (region: number | null) => void = () => {};
  onMove: () => void = () => {};
  /** the camera was moved here, not set from elsewhere */
  onPose: () => void = () => {};
  /** what a key asks of what is drawn: slice on or off, the plane back or on by a cell */
  onKey: (act: "slice" | "back" | "on") => void = () => {};
  /** a box is being drawn (done false) or was drawn, in pixels of the host */
  onBox: (box: Rectangle, done: boolean, add: boolean) => void = () => {};
  boxing = false;
  private renderer: THREE.WebGLRenderer;
  private scene = new THREE.Scene();
  private camera = new THREE.OrthographicCamera(-1, 1, 1, -1, -10, 10);
  private surface: THREE.Mesh<THREE.BufferGeometry, THREE.ShaderMaterial> | null = null;
  private bvh: MeshBVH | null = null;
  private lines: THREE.LineSegments | null = null;
  private dotted: THREE.LineSegments | null = null;
  private signs: THREE.Group | null = null;
  private guide: THREE.LineSegments | null = null;
  private planeFrames: THREE.LineSegments | null = null;
  private data: SurfaceArrays | null = null;
  private open = new Set<number>();
  private cells: CellLayers;
  private regions: THREE.DataTexture;
  private box = new THREE.Box3(new THREE.Vector3(-1, -1, -1), new THREE.Vector3(1, 1, 1));
  readonly target = new THREE.Vector3();
  private span = 2;
  private wanted = false;
  private hidden = new Set<number>();
  private regionOfTriangle: Int32Array = new Int32Array(0);
  private plane: Plane | null = null;
  private visible = { surface: true, outline: true };
  private clear: (() => void)[] = [];

  /**
   * foot: pixels at the bottom that are kept free of the model; turns: whether a long part is turned to
   * fill the frame at first
   */
  constructor(
    private host: HTMLElement,
    private foot = FOOT,
    private turns = true,
  ) {
    this.renderer = new THREE.WebGLRenderer({ antialias: true, alpha: true });
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    host.appendChild(this.renderer.domElement);
    this.renderer.domElement.style.display = "block";
    this.regions = this.texture(new Uint8Array([240, 236, 226, 255, 0, 0, 0, 255]), 1, 2);
    this.cells = new CellLayers(this.scene, () =>
      onTop(new THREE.LineBasicMaterial({ color: INK })),
    );
    this.camera.up.set(0, 0, 1);
    this.clear.push(listenTo(this.renderer.domElement, this));
    const sized = new ResizeObserver(() => this.resize());
    sized.observe(host);
    this.clear.push(() => sized.disconnect());
    this.resize();
    this.look("corner");
  }

  private texture(data: Uint8Array<ArrayBuffer>, width: number, height: number): THREE.DataTexture {
    const t = new THREE.DataTexture(data, width, height, THREE.RGBAFormat);
    t.magFilter = t.minFilter = THREE.NearestFilter;
    t.needsUpdate = true;
    return t;
  }

  /**
   * Draw a surface. curves: its edges, where they are not to be found between its faces; seam: whether the
   * edge between two faces is dotted; keep: leave the camera where it is.
   */
  setSurface(
    data: SurfaceArrays | null,
    mesh: boolean,
    curves: Float32Array | null,
    keep: boolean,
    seam: ((a: number, b: number) => boolean) | null = null,
  ) {
    this.drop(this.surface);
    this.drop(this.lines);
    this.drop(this.dotted);
    this.surface = this.lines = this.dotted = null;
    this.bvh = null;
    this.data = data;
    if (data) {
      const geometry = surfaceGeometry(data, !mesh);
      // the tree reorders an index of its own, so that triangles stay where they are
      this.bvh = new MeshBVH(geometry, { indirect: true });
      this.regionOfTriangle = data.region;
      const material = new THREE.ShaderMaterial({
        vertexShader: SURFACE_VERTEX,
        fragmentShader: SURFACE_FRAGMENT,
        side: THREE.DoubleSide,
        transparent: false,
        uniforms: {
          regions: { value: this.regions },
          ramp: { value: this.cells.ramp },
          regionCount: { value: this.regions.image.width },
          meshLines: { value: mesh ? 1 : 0 },
          plane: { value: new THREE.Vector4(0, 0, 1, 0) },
          clipping: { value: 0 },
          ratio: { value: this.renderer.getPixelRatio() },
        },
      });
      this.surface = new THREE.Mesh(geometry, material);
      this.scene.add(this.surface);
      this.box = regionBounds(data);
      const found = curves && !seam ? null : regionLines(data, seam);
      const lines = new THREE.BufferGeometry();
      lines.setAttribute("position", new THREE.BufferAttribute(found?.lines ?? curves!, 3));
      this.lines = new THREE.LineSegments(
        lines,
        onTop(new THREE.LineBasicMaterial({ color: INK })),
      );
      this.scene.add(this.lines);
      if (found && found.seams.length > 0) this.dotted = this.dots(found.seams);
      this.applyPlane();
      this.applyVisible();
      if (!keep) {
        if (this.turns) this.turnLongPart();
        this.fit();
      }
    }
    this.draw();
  }

  /** Colour the surface's triangles by what stands on them: see `wallValues`. */
  setWalls(values: Float32Array) {
    const held = this.surface?.geometry.getAttribute("cover") as THREE.BufferAttribute | undefined;
    if (!held || held.count !== 3 * values.length) return;
    for (let t = 0; t < values.length; t++) held.array.fill(values[t]!, 3 * t, 3 * t + 3);
    held.needsUpdate = true;
    this.draw();
  }

  /** Edges that the mesh walks over. */
  private dots(segments: Float32Array): THREE.LineSegments {
    const lines = new THREE.BufferGeometry();
    lines.setAttribute("position", new THREE.BufferAttribute(segments, 3));
    const dot = this.box.getSize(new THREE.Vector3()).length() / 320;
    const material = new THREE.LineDashedMaterial({
      color: INK,
      dashSize: dot,
      gapSize: 1.6 * dot,
    });
    const out = new THREE.LineSegments(lines, onTop(material));
    out.computeLineDistances();
    this.scene.add(out);
    return out;
  }

  setLook(look: RegionLook[], selected: number[], hovered: number | null, hidden: number[]) {
    const n = Math.max(1, look.length);
    const data = new Uint8Array(n * 8);
    this.hidden = new Set(hidden);
    look.forEach((r, k) => {
      const [red, green, blue] = rgb(r.colour);
      data.set([red * 255, green * 255, blue * 255, 255], 4 * k);
      const state = selected.includes(k) ? 255 : hovered === k ? 128 : 0;
      const see = r.open ? 128 : 255;
      data.set([this.hidden.has(k) ? 255 : 0, r.pattern * 32, state, see], 4 * (n + k));
    });
    this.open = new Set(look.flatMap((r, k) => (r.open ? [k] : [])));
    this.regions.dispose();
    this.regions = this.texture(data, n, 2);
    if (this.surface) {
      this.surface.material.uniforms.regions!.value = this.regions;
      this.surface.material.uniforms.regionCount!.value = n;
    }
    this.draw();
  }

  /** Free edges heavy with ticks, edges with more than two faces doubled. */
  setEdgeSigns(free: Float32Array | null, branching: Float32Array | null) {
    if (this.signs) {
      this.scene.remove(this.signs);
      disposeSigns(this.signs);
    }
    this.signs = null;
    if ((free && free.length > 0) || (branching && branching.length > 0)) {
      const size = this.box.getSize(new THREE.Vector3()).length();
      this.signs = edgeSigns(free, branching, size);
      this.scene.add(this.signs);
    }
    this.sizeSigns();
    this.draw();
  }

  private sizeSigns() {
    const w = this.host.clientWidth || 1;
    const h = this.host.clientHeight || 1;
    this.signs?.traverse((o) => {
      const material = (o as THREE.Mesh).material as { resolution?: THREE.Vector2 } | undefined;
      material?.resolution?.set(w, h);
    });
  }

  /** Lines that guide the eye, such as an enclosure that is not made yet. */
  setGuide(segments: Float32Array | null) {
    this.drop(this.guide);
    this.guide = null;
    if (segments && segments.length > 0) {
      const lines = new THREE.BufferGeometry();
      lines.setAttribute("position", new THREE.BufferAttribute(segments, 3));
      const span = this.box.getSize(new THREE.Vector3()).length();
      const material = new THREE.LineDashedMaterial({
        color: 0x226a5f,
        dashSize: span / 40,
        gapSize: span / 80,
      });
      this.guide = new THREE.LineSegments(lines, material);
      this.guide.computeLineDistances();
      this.scene.add(this.guide);
    }
    this.draw();
  }

  /** Frame a part of the model: its low and high corner. */
  frame(low: number[], high: number[]) {
    const whole = this.box;
    this.box = new THREE.Box3(
      new THREE.Vector3(low[0], low[1], low[2]),
      new THREE.Vector3(high[0], high[1], high[2]),
    );
    const span = whole.getSize(new THREE.Vector3()).length();
    this.fit();
    this.box = whole;
    // near and far stay those of the whole
    this.span = Math.max(span, this.span);
    this.setFrustum(this.camera.top);
  }

  /** Regions that lie wholly in a box on the screen. */
  regionsIn(box: Rectangle): number[] {
    if (!this.data) return [];
    const { points, triangles, region } = this.data;
    const count = points.length / 3;
    const inside = new Uint8Array(count);
    const v = new THREE.Vector3();
    const w = this.host.clientWidth;
    const h = this.host.clientHeight;
    for (let i = 0; i < count; i++) {
      v.set(points[3 * i]!, points[3 * i + 1]!, points[3 * i + 2]!).project(this.camera);
      const x = ((v.x + 1) / 2) * w;
      const y = ((1 - v.y) / 2) * h;
      inside[i] = x >= box.left && x <= box.right && y >= box.top && y <= box.bottom ? 1 : 0;
    }
    const out = new Set<number>();
    const not = new Set<number>();
    for (let t = 0; t < region.length; t++) {
      const r = region[t]!;
      const all =
        inside[triangles[3 * t]!]! &
        inside[triangles[3 * t + 1]!]! &
        inside[triangles[3 * t + 2]!]!;
      (all ? out : not).add(r);
    }
    return [...out].filter((r) => !not.has(r) && !this.hidden.has(r)).sort((a, b) => a - b);
  }

  /**
   * A place in the space that one points at: half way through the longest stretch of it along the
   * line of sight. Where the part is drawn, space is between leaving its material and meeting it
   * again; where the fluid is drawn, it is inside. Beside the surface if there is none.
   */
  placeInside(event: { clientX: number; clientY: number }, fluid: boolean): number[] | null {
    if (!this.bvh) return null;
    const ray = this.ray(event);
    const hits = this.bvh.raycast(ray, THREE.DoubleSide).sort((a, b) => a.distance - b.distance);
    const spot = longestStretch(
      hits.map((h) => h.distance),
      fluid,
    );
    if (spot === null) return null;
    const p = ray.at(spot, new THREE.Vector3());
    return [p.x, p.y, p.z];
  }

  /** Normal of the surface that one points at. */
  normalAt(event: { clientX: number; clientY: number }): number[] | null {
    return this.hit(event)?.normal?.toArray() ?? null;
  }

  setMeshLines(on: boolean) {
    if (this.surface) this.surface.material.uniforms.meshLines!.value = on ? 1 : 0;
    this.draw();
  }

  /**
   * Show the surface behind a plane only, or whole (null); shown=false hides the surface. outline:
   * whether the edges between faces are drawn.
   */
  setPlane(plane: Plane | null, shown = true, outline = shown && plane === null) {
    this.plane = plane;
    this.visible = { surface: shown, outline };
    this.applyVisible();
    this.applyPlane();
    this.draw();
  }

  private applyVisible() {
    if (this.surface) this.surface.visible = this.visible.surface;
    for (const own of [this.lines, this.dotted]) if (own) own.visible = this.visible.outline;
  }

  /** 1 if the plane's normal points to the viewer, else -1: what lies behind it is kept. */
  private facing(): number {
    const back = new THREE.Vector3(0, 0, 1).applyQuaternion(this.camera.quaternion);
    return this.plane && back.dot(new THREE.Vector3(...this.plane.normal)) < 0 ? -1 : 1;
  }

  /** 1 if what lies behind a plane across this direction is where it points to, else -1. */
  behind(normal: [number, number, number]): number {
    const back = new THREE.Vector3(0, 0, 1).applyQuaternion(this.camera.quaternion);
    return back.dot(new THREE.Vector3(...normal)) < 0 ? 1 : -1;
  }

  private applyPlane() {
    if (!this.surface) return;
    const u = this.surface.material.uniforms;
    u.clipping!.value = this.plane ? 1 : 0;
    if (!this.plane) return;
    const sign = this.facing();
    const [x, y, z] = this.plane.normal;
    (u.plane!.value as THREE.Vector4).set(sign * x, sign * y, sign * z, sign * this.plane.offset);
  }

  /** Draw cells under a name, with the lines in which a cut meets patches; null takes them away. */
  setCells(
    name: string,
    data: CellArrays | null,
    colouring: Colouring,
    segments: Float32Array | null = null,
    look: CellLook = {},
  ) {
    this.cells.set(name, data, colouring, segments, look);
    this.draw();
  }

  /** Take away all sets of cells but these. */
  keepCells(names: string[]) {
    for (const name of this.cells.names()) if (!names.includes(name)) this.cells.clear(name);
    this.draw();
  }

  /** Outlines of cutting planes, as segments. */
  setPlaneFrames(segments: Float32Array | null) {
    this.drop(this.planeFrames);
    this.planeFrames = null;
    if (segments && segments.length > 0) {
      const lines = new THREE.BufferGeometry();
      lines.setAttribute("position", new THREE.BufferAttribute(segments, 3));
      this.planeFrames = new THREE.LineSegments(
        lines,
        new THREE.LineBasicMaterial({ color: 0x226a5f }),
      );
      this.scene.add(this.planeFrames);
    }
    this.draw();
  }

  /** Direction from the model to the viewer. */
  towards(): [number, number, number] {
    const back = new THREE.Vector3(0, 0, 1).applyQuaternion(this.camera.quaternion);
    return [back.x, back.y, back.z];
  }

  /** The model point under a pixel of the host, as deep as another point. */
  unproject(x: number, y: number, deep: number[]): [number, number, number] {
    const z = new THREE.Vector3(deep[0], deep[1], deep[2]).project(this.camera).z;
    const v = new THREE.Vector3(
      (2 * x) / (this.host.clientWidth || 1) - 1,
      1 - (2 * y) / (this.host.clientHeight || 1),
      z,
    ).unproject(this.camera);
    return [v.x, v.y, v.z];
  }

  private drop(thing: THREE.Mesh | THREE.LineSegments | null) {
    if (!thing) return;
    this.scene.remove(thing);
    thing.geometry.dispose();
    (thing.material as THREE.Material).dispose();
  }

  /** Screen position of a model point, in pixels of the host. */
  project(at: number[]): [number, number] {
    const v = new THREE.Vector3(at[0], at[1], at[2]).project(this.camera);
    return [((v.x + 1) / 2) * this.host.clientWidth, ((1 - v.y) / 2) * this.host.clientHeight];
  }

  get width(): number {
    return this.host.clientWidth;
  }

  /** Model units per pixel. */
  get unitsPerPixel(): number {
    return (this.camera.top - this.camera.bottom) / this.camera.zoom / this.host.clientHeight;
  }

  /** Directions of the model's axes on the screen, x right and y down. */
  axes(): [number, number, number][] {
    const q = this.camera.quaternion.clone().invert();
    return [
      [1, 0, 0],
      [0, 1, 0],
      [0, 0, 1],
    ].map((a) => {
      const v = new THREE.Vector3(...(a as [number, number, number])).applyQuaternion(q);
      return [v.x, -v.y, v.z];
    });
  }

  pose(): Pose {
    const { position, quaternion, up, zoom, top } = this.camera;
    return {
      position: position.toArray(),
      quaternion: quaternion.toArray(),
      up: up.toArray(),
      target: this.target.toArray(),
      zoom,
      top,
      span: this.span,
    };
  }

  setPose(pose: Pose) {
    this.camera.position.fromArray(pose.position);
    this.camera.quaternion.fromArray(pose.quaternion);
    this.camera.up.fromArray(pose.up);
    this.target.fromArray(pose.target);
    this.camera.zoom = pose.zoom;
    this.span = pose.span;
    this.setFrustum(pose.top);
  }

  look(view: StandardView) {
    const d = new THREE.Vector3(...DIRECTIONS[view]).normalize();
    this.camera.up.set(0, 0, 1);
    if (Math.abs(d.z) > 0.99) this.camera.up.set(0, 1, 0);
    this.camera.position.copy(this.target).addScaledVector(d, this.span * 2);
    this.camera.lookAt(this.target);
    this.fit();
  }

  fit() {
    const centre = this.box.getCenter(new THREE.Vector3());
    this.span = Math.max(1e-9, this.box.getSize(new THREE.Vector3()).length());
    const back = new THREE.Vector3(0, 0, 1).applyQuaternion(this.camera.quaternion);
    this.target.copy(centre);
    this.camera.position.copy(centre).addScaledVector(back, this.span * 2);
    this.camera.zoom = 1;
    const half = this.halfHeight(this.camera.quaternion);
    this.setFrustum(half);
    // above the middle, so that scale, ramp and tools at the bottom cover nothing
    const up = new THREE.Vector3(0, 1, 0).applyQuaternion(this.camera.quaternion);
    const down = -(this.foot * half) / (this.host.clientHeight || 1);
    this.target.addScaledVector(up, down);
    this.camera.position.addScaledVector(up, down);
    this.onPose();
  }

  /** Half the height of the frame that holds the corners of the box, seen this way. */
  private halfHeight(way: THREE.Quaternion): number {
    const w = this.host.clientWidth || 1;
    const h = this.host.clientHeight || 1;
    const [wide, high] = extents(this.box, way);
    const room = Math.max(0.5 * h, h - this.foot);
    return 1.06 * Math.max((high * h) / room, (wide * h) / w);
  }

  /** Turn about the vertical so that a long part lies across the frame and fills it. */
  private turnLongPart() {
    const sides = this.box
      .getSize(new THREE.Vector3())
      .toArray()
      .sort((a, b) => b - a);
    if (sides[0]! < LONG * sides[1]!) return;
    const now = this.camera.quaternion.clone();
    const fits = TURNS.map((degrees) => {
      const turn = new THREE.Quaternion().setFromAxisAngle(UP, (degrees * Math.PI) / 180);
      const way = turn.multiply(now);
      return { way, half: this.halfHeight(way) };
    });
    const usual = fits[0]!;
    const best = fits.reduce((a, b) => (b.half < a.half ? b : a));
    // not for a little: parts are best known from the usual side
    if (best.half < 0.9 * usual.half) this.camera.quaternion.copy(best.way);
  }

  /** Bring a place to the middle and come nearer. */
  show(at: number[]) {
    const place = new THREE.Vector3(at[0], at[1], at[2]);
    this.camera.position.add(place.clone().sub(this.target));
    this.target.copy(place);
    this.camera.zoom = Math.max(this.camera.zoom, 6);
    this.camera.updateProjectionMatrix();
    this.onPose();
    this.draw();
  }

  private setFrustum(half: number) {
    const aspect = (this.host.clientWidth || 1) / (this.host.clientHeight || 1);
    this.camera.top = half;
    this.camera.bottom = -half;
    this.camera.left = -half * aspect;
    this.camera.right = half * aspect;
    this.camera.near = -this.span * 1.5;
    this.camera.far = this.span * 5.5;
    this.camera.updateProjectionMatrix();
    this.draw();
  }

  private resize() {
    const w = this.host.clientWidth || 1;
    const h = this.host.clientHeight || 1;
    this.renderer.setSize(w, h);
    this.sizeSigns();
    this.setFrustum(this.camera.top);
  }

  private ray(event: { clientX: number; clientY: number }): THREE.Ray {
    const r = this.renderer.domElement.getBoundingClientRect();
    const x = ((event.clientX - r.left) / r.width) * 2 - 1;
    const y = 1 - ((event.clientY - r.top) / r.height) * 2;
    const caster = new THREE.Raycaster();
    caster.setFromCamera(new THREE.Vector2(x, y), this.camera);
    // an orthographic ray starts beside the model: move it well behind the viewer
    caster.ray.origin.addScaledVector(caster.ray.direction, -this.span * 10);
    return caster.ray;
  }

  hit(event: { clientX: number; clientY: number }) {
    if (!this.bvh || !this.surface?.visible) return null;
    const ray = this.ray(event);
    const hits = this.bvh.raycast(ray, THREE.DoubleSide);
    hits.sort((a, b) => a.distance - b.distance);
    for (const h of hits) {
      const region = this.regionOfTriangle[h.faceIndex ?? 0] ?? 0;
      if (this.hidden.has(region)) continue;
      // an enclosing face is looked through from outside
      if (this.open.has(region) && (h.face?.normal.dot(ray.direction) ?? 1) < 0) continue;
      if (this.plane) {
        const n = new THREE.Vector3(...this.plane.normal);
        if (this.facing() * (n.dot(h.point) - this.plane.offset) > 0) continue;
      }
      return { point: h.point, region, normal: h.face?.normal ?? null };
    }
    return null;
  }

  /** Turn about a point: sideways about the model's vertical, up and down about the screen's. */
  turn(yaw: number, pitch: number, pivot: THREE.Vector3 = this.target.clone()) {
    const right = new THREE.Vector3(1, 0, 0).applyQuaternion(this.camera.quaternion);
    const spin = new THREE.Quaternion()
      .setFromAxisAngle(new THREE.Vector3(0, 0, 1), -yaw)
      .multiply(new THREE.Quaternion().setFromAxisAngle(right, -pitch));
    this.camera.position.sub(pivot).applyQuaternion(spin).add(pivot);
    this.target.sub(pivot).applyQuaternion(spin).add(pivot);
    this.camera.quaternion.premultiply(spin);
    this.onPose();
    this.draw();
  }

  pan(dx: number, dy: number) {
    const scale = this.unitsPerPixel;
    const move = new THREE.Vector3(-dx * scale, dy * scale, 0).applyQuaternion(
      this.camera.quaternion,
    );
    this.camera.position.add(move);
    this.target.add(move);
    this.onPose();
    this.draw();
  }

  zoomAt(event: { clientX: number; clientY: number } | null, factor: number) {
    const r = this.renderer.domElement.getBoundingClientRect();
    const x = event ? event.clientX - r.left - r.width / 2 : 0;
    const y = event ? event.clientY - r.top - r.height / 2 : 0;
    const before = this.unitsPerPixel;
    this.camera.zoom = Math.min(1e5, Math.max(0.05, this.camera.zoom * factor));
    this.camera.updateProjectionMatrix();
    const after = this.unitsPerPixel;
    const move = new THREE.Vector3(x * (before - after), -y * (before - after), 0);
    move.applyQuaternion(this.camera.quaternion);
    this.camera.position.add(move);
    this.target.add(move);
    this.onPose();
    this.draw();
  }

  draw() {
    if (this.wanted) return;
    this.wanted = true;
    requestAnimationFrame(() => {
      this.wanted = false;
      this.applyPlane();
      this.renderer.render(this.scene, this.camera);
      this.onMove();
    });
  }

  dispose() {
    for (const act of this.clear) act();
    this.drop(this.surface);
    this.drop(this.lines);
    this.drop(this.dotted);
    this.cells.dispose();
    this.drop(this.planeFrames);
    this.drop(this.guide);
    if (this.signs) disposeSigns(this.signs);
    this.regions.dispose();
    this.renderer.dispose();
    this.renderer.forceContextLoss();
    this.renderer.domElement.remove();
  }
}
