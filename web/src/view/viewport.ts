/**
 * The model view: a self-contained module that draws what it is given and reports what is touched.
 * It knows nothing of React; the view store and the bench drive it.
 */
import * as THREE from "three";
import { MeshBVH } from "three-mesh-bvh";
import {
  cellGeometry,
  regionBounds,
  regionLines,
  type SurfaceArrays,
  surfaceGeometry,
} from "./geometry";
import { RAMP, rgb } from "./palette";
import { CELL_FRAGMENT, CELL_VERTEX, SURFACE_FRAGMENT, SURFACE_VERTEX } from "./shaders";

export interface RegionLook {
  colour: string;
  pattern: number;
}

export interface Plane {
  normal: [number, number, number];
  offset: number;
}

export interface Touch {
  region: number | null;
  add: boolean;
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

export class Viewport {
  onTouch: (touch: Touch) => void = () => {};
  onHover: (region: number | null) => void = () => {};
  onMove: () => void = () => {};
  private renderer: THREE.WebGLRenderer;
  private scene = new THREE.Scene();
  private camera = new THREE.OrthographicCamera(-1, 1, 1, -1, -10, 10);
  private surface: THREE.Mesh<THREE.BufferGeometry, THREE.ShaderMaterial> | null = null;
  private bvh: MeshBVH | null = null;
  private lines: THREE.LineSegments | null = null;
  private cells: THREE.Mesh<THREE.BufferGeometry, THREE.ShaderMaterial> | null = null;
  private regions: THREE.DataTexture;
  private ramp: THREE.DataTexture;
  private box = new THREE.Box3(new THREE.Vector3(-1, -1, -1), new THREE.Vector3(1, 1, 1));
  private target = new THREE.Vector3();
  private span = 2;
  private wanted = false;
  private hidden = new Set<number>();
  private regionOfTriangle: Int32Array = new Int32Array(0);
  private plane: Plane | null = null;
  private clear: (() => void)[] = [];

  constructor(private host: HTMLElement) {
    this.renderer = new THREE.WebGLRenderer({ antialias: true, alpha: true });
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    host.appendChild(this.renderer.domElement);
    this.renderer.domElement.style.display = "block";
    this.regions = this.texture(new Uint8Array([240, 236, 226, 255, 0, 0, 0, 255]), 1, 2);
    this.ramp = this.texture(
      new Uint8Array(RAMP.flatMap((c) => [...rgb(c).map((x) => Math.round(255 * x)), 255])),
      RAMP.length,
      1,
    );
    this.ramp.magFilter = this.ramp.minFilter = THREE.LinearFilter;
    this.camera.up.set(0, 0, 1);
    this.listen();
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

  /** Draw a surface. keep: leave the camera where it is. */
  setSurface(
    data: SurfaceArrays | null,
    mesh: boolean,
    curves: Float32Array | null,
    keep: boolean,
  ) {
    this.drop(this.surface);
    this.drop(this.lines);
    this.surface = this.lines = null;
    this.bvh = null;
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
          regionCount: { value: this.regions.image.width },
          meshLines: { value: mesh ? 1 : 0 },
          plane: { value: new THREE.Vector4(0, 0, 1, 0) },
          clipping: { value: 0 },
          ratio: { value: this.renderer.getPixelRatio() },
        },
      });
      this.surface = new THREE.Mesh(geometry, material);
      this.scene.add(this.surface);
      const segments = curves ?? regionLines(data);
      const lines = new THREE.BufferGeometry();
      lines.setAttribute("position", new THREE.BufferAttribute(segments, 3));
      this.lines = new THREE.LineSegments(lines, this.lineMaterial());
      this.scene.add(this.lines);
      this.box = regionBounds(data);
      this.applyPlane();
      if (!keep) this.fit();
    }
    this.draw();
  }

  /** Ink that lies a hair above the surface, by the same amount everywhere, silhouettes too. */
  private lineMaterial(): THREE.LineBasicMaterial {
    const material = new THREE.LineBasicMaterial({ color: INK });
    material.onBeforeCompile = (shader) => {
      shader.vertexShader = shader.vertexShader.replace(
        "#include <project_vertex>",
        "#include <project_vertex>\n  gl_Position.z -= 0.0008;",
      );
    };
    return material;
  }

  setLook(look: RegionLook[], selected: number[], hovered: number | null, hidden: number[]) {
    const n = Math.max(1, look.length);
    const data = new Uint8Array(n * 8);
    this.hidden = new Set(hidden);
    look.forEach((r, k) => {
      const [red, green, blue] = rgb(r.colour);
      data.set([red * 255, green * 255, blue * 255, 255], 4 * k);
      const state = selected.includes(k) ? 255 : hovered === k ? 128 : 0;
      data.set([this.hidden.has(k) ? 255 : 0, r.pattern * 32, state, 255], 4 * (n + k));
    });
    this.regions.dispose();
    this.regions = this.texture(data, n, 2);
    if (this.surface) {
      this.surface.material.uniforms.regions!.value = this.regions;
      this.surface.material.uniforms.regionCount!.value = n;
    }
    this.draw();
  }

  setMeshLines(on: boolean) {
    if (this.surface) this.surface.material.uniforms.meshLines!.value = on ? 1 : 0;
    this.draw();
  }

  /** Show the surface behind a plane only, or whole (null); shown=false hides the surface. */
  setPlane(plane: Plane | null, shown = true) {
    this.plane = plane;
    if (this.surface) this.surface.visible = shown;
    if (this.lines) this.lines.visible = shown && plane === null;
    this.applyPlane();
    this.draw();
  }

  /** 1 if the plane's normal points to the viewer, else -1: what lies behind it is kept. */
  private facing(): number {
    const back = new THREE.Vector3(0, 0, 1).applyQuaternion(this.camera.quaternion);
    return this.plane && back.dot(new THREE.Vector3(...this.plane.normal)) < 0 ? -1 : 1;
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

  setCells(
    data: { points: Float32Array; triangles: Int32Array; value: Float32Array } | null,
    limits: [number, number],
  ) {
    this.drop(this.cells);
    this.cells = null;
    if (data && data.triangles.length > 0) {
      const material = new THREE.ShaderMaterial({
        vertexShader: CELL_VERTEX,
        fragmentShader: CELL_FRAGMENT,
        side: THREE.DoubleSide,
        uniforms: {
          ramp: { value: this.ramp },
          limits: { value: new THREE.Vector2(...limits) },
        },
      });
      this.cells = new THREE.Mesh(cellGeometry(data.points, data.triangles, data.value), material);
      this.scene.add(this.cells);
    }
    this.draw();
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
    // the corners of the box as seen from here decide the zoom
    const q = this.camera.quaternion.clone().invert();
    let wide = 1e-9;
    let high = 1e-9;
    for (let k = 0; k < 8; k++) {
      const c = new THREE.Vector3(
        k & 1 ? this.box.max.x : this.box.min.x,
        k & 2 ? this.box.max.y : this.box.min.y,
        k & 4 ? this.box.max.z : this.box.min.z,
      )
        .sub(centre)
        .applyQuaternion(q);
      wide = Math.max(wide, Math.abs(c.x));
      high = Math.max(high, Math.abs(c.y));
    }
    const w = this.host.clientWidth || 1;
    const h = this.host.clientHeight || 1;
    const half = 1.14 * Math.max(high, (wide * h) / w);
    this.camera.zoom = 1;
    this.setFrustum(half);
  }

  /** Bring a place to the middle and come nearer. */
  show(at: number[]) {
    const place = new THREE.Vector3(at[0], at[1], at[2]);
    this.camera.position.add(place.clone().sub(this.target));
    this.target.copy(place);
    this.camera.zoom = Math.max(this.camera.zoom, 6);
    this.camera.updateProjectionMatrix();
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

  private hit(event: { clientX: number; clientY: number }) {
    if (!this.bvh || !this.surface?.visible) return null;
    const hits = this.bvh.raycast(this.ray(event), THREE.DoubleSide);
    hits.sort((a, b) => a.distance - b.distance);
    for (const h of hits) {
      const region = this.regionOfTriangle[h.faceIndex ?? 0] ?? 0;
      if (this.hidden.has(region)) continue;
      if (this.plane) {
        const n = new THREE.Vector3(...this.plane.normal);
        if (this.facing() * (n.dot(h.point) - this.plane.offset) > 0) continue;
      }
      return { point: h.point, region };
    }
    return null;
  }

  private listen() {
    const canvas = this.renderer.domElement;
    let drag: { x: number; y: number; pan: boolean; moved: number; pivot: THREE.Vector3 } | null =
      null;
    const on = <K extends keyof HTMLElementEventMap>(
      name: K,
      act: (event: HTMLElementEventMap[K]) => void,
      options?: AddEventListenerOptions,
    ) => {
      canvas.addEventListener(name, act, options);
      this.clear.push(() => canvas.removeEventListener(name, act));
    };
    on("contextmenu", (event) => event.preventDefault());
    on("pointerdown", (event) => {
      canvas.setPointerCapture(event.pointerId);
      const pan = event.button !== 0 || event.ctrlKey;
      const pivot = this.hit(event)?.point ?? this.target.clone();
      drag = { x: event.clientX, y: event.clientY, pan, moved: 0, pivot };
    });
    on("pointermove", (event) => {
      if (!drag) {
        this.onHover(this.hit(event)?.region ?? null);
        return;
      }
      const dx = event.clientX - drag.x;
      const dy = event.clientY - drag.y;
      drag.moved += Math.abs(dx) + Math.abs(dy);
      drag.x = event.clientX;
      drag.y = event.clientY;
      if (drag.moved < 4) return;
      if (drag.pan) this.pan(dx, dy);
      else this.turn(dx * 0.008, dy * 0.008, drag.pivot);
    });
    on("pointerup", (event) => {
      if (drag && drag.moved < 4 && !drag.pan) {
        this.onTouch({ region: this.hit(event)?.region ?? null, add: event.shiftKey });
      }
      drag = null;
    });
    on("pointerleave", () => this.onHover(null));
    on(
      "wheel",
      (event) => {
        event.preventDefault();
        const factor = Math.exp(-event.deltaY * (event.ctrlKey ? 0.01 : 0.0015));
        this.zoomAt(event, factor);
      },
      { passive: false },
    );
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
    this.draw();
  }

  pan(dx: number, dy: number) {
    const scale = this.unitsPerPixel;
    const move = new THREE.Vector3(-dx * scale, dy * scale, 0).applyQuaternion(
      this.camera.quaternion,
    );
    this.camera.position.add(move);
    this.target.add(move);
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
    this.drop(this.cells);
    this.regions.dispose();
    this.ramp.dispose();
    this.renderer.dispose();
    this.renderer.forceContextLoss();
    this.renderer.domElement.remove();
  }
}
