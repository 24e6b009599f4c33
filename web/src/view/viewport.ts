/**
 * The model view: a self-contained module that draws what it is given and reports what is touched.
 * It knows nothing of React; the view store and the bench drive it.
 */
import * as THREE from "three";
import { MeshBVH } from "three-mesh-bvh";
import { rgb } from "../parts/palette";
import { GROUND, rampOf, type Theme } from "../parts/theme";
import { CellLayers, type CellLook, type Colouring, type PickedCell } from "./cellLayers";
import { disposeSigns, edgeSigns } from "./edgeSigns";
import { Eye } from "./eye";
import {
  type CellArrays,
  longestStretch,
  regionBounds,
  regionLines,
  type SurfaceArrays,
  surfaceGeometry,
} from "./geometry";
import { Likeness } from "./likeness";
import { edgeSegments, lineDrawing, type Segments, type Sight } from "./lineDrawing";
import { listenTo, type Rectangle, type Touch } from "./pointer";
import { SURFACE_FRAGMENT, SURFACE_VERTEX } from "./shaders";

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

export type { Pose, StandardView } from "./eye";
export type { Rectangle, Touch } from "./pointer";

/** More lines of a mesh than this would only blacken a drawing. */
const MOST_LINES = 200_000;

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

export class Viewport extends Eye {
  onTouch: (touch: Touch) => void = () => {};
  /** the pointer stands over the model, or left it (null) */
  onPoint: (event: { clientX: number; clientY: number } | null) => void = () => {};
  /** the model was clicked twice */
  onTwice: (event: { clientX: number; clientY: number }) => void = () => {};
  onHover: (region: number | null) => void = () => {};
  onMove: () => void = () => {};
  /** a picture was drawn: what stands under a resting pointer may be another thing now */
  onDrawn: () => void = () => {};
  /** what a key asks of what is drawn: slice on or off, the plane back or on by a cell */
  onKey: (act: "slice" | "back" | "on") => void = () => {};
  /** a box is being drawn (done false) or was drawn, in pixels of the host */
  onBox: (box: Rectangle, done: boolean, add: boolean) => void = () => {};
  boxing = false;
  private renderer: THREE.WebGLRenderer;
  private scene = new THREE.Scene();
  private surface: THREE.Mesh<THREE.BufferGeometry, THREE.ShaderMaterial> | null = null;
  private bvh: MeshBVH | null = null;
  private likeness = new Likeness(this.scene, () => this.draw());
  private drawn = new THREE.Matrix4();
  private lines: THREE.LineSegments | null = null;
  private dotted: THREE.LineSegments | null = null;
  private signs: THREE.Group | null = null;
  private guide: THREE.LineSegments | null = null;
  private planeFrames: THREE.LineSegments | null = null;
  private data: SurfaceArrays | null = null;
  private open = new Set<number>();
  private cells: CellLayers;
  private regions: THREE.DataTexture;
  private wanted = false;
  private hidden = new Set<number>();
  private regionOfTriangle: Int32Array = new Int32Array(0);
  private turns: boolean;
  private plane: Plane | null = null;
  private ink = new THREE.Color(GROUND.light.ink);
  private guideColour = new THREE.Color(GROUND.light.guide);
  private visible = { surface: true, outline: true };
  private clear: (() => void)[] = [];

  constructor(host: HTMLElement, foot?: number, turns = true) {
    super(host, foot);
    this.turns = turns;
    this.renderer = new THREE.WebGLRenderer({ antialias: true, alpha: true });
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    host.appendChild(this.renderer.domElement);
    this.renderer.domElement.style.display = "block";
    this.regions = this.texture(new Uint8Array([240, 236, 226, 255, 0, 0, 0, 255]), 1, 2);
    this.cells = new CellLayers(this.scene, () => this.inked(onTop(new THREE.LineBasicMaterial())));
    this.clear.push(listenTo(this.renderer.domElement, this));
    const sized = new ResizeObserver(() => this.resize());
    sized.observe(host);
    this.clear.push(() => sized.disconnect());
    this.resize();
    this.look("corner");
  }

  /** A line's material whose colour follows the theme. */
  private inked<M extends THREE.LineBasicMaterial>(material: M): M {
    material.color = this.ink;
    return material;
  }

  private guiding<M extends THREE.LineBasicMaterial>(material: M): M {
    material.color = this.guideColour;
    return material;
  }

  setTheme(theme: Theme) {
    this.ink.set(GROUND[theme].ink);
    this.guideColour.set(GROUND[theme].guide);
    this.cells.setGround(rampOf(theme), theme === "dark");
    this.draw();
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
    this.likeness.reset();
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
          dark: this.cells.dark,
        },
      });
      this.surface = new THREE.Mesh(geometry, material);
      this.scene.add(this.surface);
      this.box = regionBounds(data);
      const found = curves && !seam ? null : regionLines(data, seam);
      const lines = new THREE.BufferGeometry();
      lines.setAttribute("position", new THREE.BufferAttribute(found?.lines ?? curves!, 3));
      this.lines = new THREE.LineSegments(lines, this.inked(onTop(new THREE.LineBasicMaterial())));
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
    this.likeness.drop();
    this.draw();
  }

  /** Edges that the mesh walks over. */
  private dots(segments: Float32Array): THREE.LineSegments {
    const lines = new THREE.BufferGeometry();
    lines.setAttribute("position", new THREE.BufferAttribute(segments, 3));
    const dot = this.box.getSize(new THREE.Vector3()).length() / 320;
    const material = new THREE.LineDashedMaterial({
      dashSize: dot,
      gapSize: 1.6 * dot,
    });
    const out = new THREE.LineSegments(lines, this.inked(onTop(material)));
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
        dashSize: span / 40,
        gapSize: span / 80,
      });
      this.guide = new THREE.LineSegments(lines, this.guiding(material));
      this.guide.computeLineDistances();
      this.scene.add(this.guide);
    }
    this.draw();
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
      this.planeFrames = new THREE.LineSegments(lines, this.guiding(new THREE.LineBasicMaterial()));
      this.scene.add(this.planeFrames);
    }
    this.draw();
  }

  private drop(thing: THREE.Mesh | THREE.LineSegments | null) {
    if (!thing) return;
    this.scene.remove(thing);
    thing.geometry.dispose();
    (thing.material as THREE.Material).dispose();
  }

  private resize() {
    const w = this.host.clientWidth || 1;
    const h = this.host.clientHeight || 1;
    this.renderer.setSize(w, h);
    this.sizeSigns();
    this.setFrustum(this.camera.top);
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
      if (this.clipped(h.point)) continue;
      return { point: h.point, region, normal: h.face?.normal ?? null };
    }
    return null;
  }

  draw() {
    if (this.wanted) return;
    this.wanted = true;
    requestAnimationFrame(() => {
      this.wanted = false;
      this.applyPlane();
      const sight = new THREE.Matrix4().copy(this.camera.projectionMatrix);
      this.camera.updateMatrixWorld();
      sight.multiply(this.camera.matrixWorldInverse);
      const moving = !sight.equals(this.drawn);
      this.drawn.copy(sight);
      this.likeness.render(moving, this.surface, this.data, () =>
        this.renderer.render(this.scene, this.camera),
      );
      this.onMove();
      this.onDrawn();
    });
  }

  /** The cell that one points at, if nothing of the surface stands before it. */
  cellAt(event: { clientX: number; clientY: number }): PickedCell | null {
    const ray = this.ray(event);
    const found = this.cells.pick(ray);
    if (!found) return null;
    const before = this.hit(event);
    return before && before.point.distanceTo(ray.origin) < found.distance - 1e-6 * this.span
      ? null
      : found;
  }

  /** What is drawn at another size, in pixels, on nothing. */
  rendered(width: number, height: number): HTMLCanvasElement {
    const out = document.createElement("canvas");
    out.width = width;
    out.height = height;
    this.atSize(width, height, () => {
      this.applyPlane();
      this.renderer.render(this.scene, this.camera);
      out.getContext("2d")!.drawImage(this.renderer.domElement, 0, 0, width, height);
    });
    this.draw();
    return out;
  }

  /** Do something while the view has another size. */
  private atSize(width: number, height: number, act: () => void) {
    const ratio = this.renderer.getPixelRatio();
    const uniform = this.surface?.material.uniforms.ratio;
    this.renderer.setPixelRatio(1);
    this.renderer.setSize(width, height, false);
    // patterns are as wide on the model as they are on the screen
    if (uniform) uniform.value = width / (this.host.clientWidth || width);
    this.setAspect(width / height);
    try {
      act();
    } finally {
      this.renderer.setPixelRatio(ratio);
      if (uniform) uniform.value = ratio;
      this.resize();
    }
  }

  /** Everything that is seen as lines, in SVG. */
  drawing(width: number, height: number, title: string): string {
    let out = "";
    this.atSize(width, height, () => {
      const near = this.cells.meshes().map(([, mesh]) => ({
        tree: new MeshBVH(mesh.geometry, { indirect: true }),
        cells: true,
      }));
      const surface = this.bvh && this.surface?.visible ? [{ tree: this.bvh, cells: false }] : [];
      const all = [...near, ...surface];
      const towards = new THREE.Vector3(...this.towards());
      const ray = new THREE.Ray(new THREE.Vector3(), towards);
      const lift = this.span * 2e-4;
      const sight: Sight = {
        width,
        height,
        project: (at) => this.projected(at, width, height),
        hidden: (at) => {
          ray.origin.set(at[0]!, at[1]!, at[2]!).addScaledVector(towards, lift);
          return all.some(({ tree, cells }) =>
            tree.raycast(ray, THREE.DoubleSide).some((h) => cells || this.stands(h, ray)),
          );
        },
      };
      out = lineDrawing(this.lineSets(), sight, title);
    });
    this.draw();
    return out;
  }

  /** Whether what a ray towards the viewer meets on the surface is drawn there. */
  private stands(
    hit: {
      point: THREE.Vector3;
      faceIndex?: number | null;
      face?: { normal: THREE.Vector3 } | null;
    },
    ray: THREE.Ray,
  ): boolean {
    const region = this.regionOfTriangle[hit.faceIndex ?? 0] ?? 0;
    if (this.hidden.has(region)) return false;
    if (this.open.has(region) && (hit.face?.normal.dot(ray.direction) ?? 0) > 0) return false;
    return !this.clipped(hit.point);
  }

  /** Whether a point lies on the side of the plane that is cut away. */
  private clipped(point: THREE.Vector3): boolean {
    if (!this.plane) return false;
    const n = new THREE.Vector3(...this.plane.normal);
    return this.facing() * (n.dot(point) - this.plane.offset) > 0;
  }

  /** Edges between faces, of cells, and of the surface's mesh, with their widths in pixels. */
  private lineSets(): Segments[] {
    const of = (thing: THREE.LineSegments | null, width: number): Segments[] =>
      thing?.visible
        ? [{ points: thing.geometry.getAttribute("position").array as Float32Array, width }]
        : [];
    const sets = [...of(this.lines, 1.3), ...of(this.dotted, 0.8), ...this.cells.lineSets()];
    const lines = this.surface?.material.uniforms.meshLines?.value === 1;
    if (this.data && this.surface?.visible && lines) {
      const { points, triangles, sides, region } = this.data;
      const at = new THREE.Vector3();
      const shown = (t: number) => {
        if (this.hidden.has(region[t]!)) return false;
        const v = 3 * triangles[3 * t]!;
        return !this.clipped(at.set(points[v]!, points[v + 1]!, points[v + 2]!));
      };
      const points_ = edgeSegments(points, triangles, sides, shown);
      if (points_.length / 6 <= MOST_LINES) sets.push({ points: points_, width: 0.4 });
    }
    return sets;
  }

  dispose() {
    for (const act of this.clear) act();
    this.likeness.dispose();
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
