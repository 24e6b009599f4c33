/** Where one looks from: turning, moving, coming nearer, and what lies where on the screen. */
import * as THREE from "three";
import { extents } from "./geometry";

const UP = new THREE.Vector3(0, 0, 1);
/** So many times its next longest side makes a part long; others keep the usual view. */
const LONG = 2.5;
/** Height in pixels that scale, ramp and tools take at the bottom. */
const FOOT = 110;
/** Ways of turning the first view, in degrees about the vertical; the usual one first. */
const TURNS = [0, 30, -30];

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

/** An orthographic camera before an element; who extends it draws. */
export abstract class Eye {
  /** the camera was moved here, not set from elsewhere */
  onPose: () => void = () => {};
  readonly target = new THREE.Vector3();
  protected camera = new THREE.OrthographicCamera(-1, 1, 1, -1, -10, 10);
  protected box = new THREE.Box3(new THREE.Vector3(-1, -1, -1), new THREE.Vector3(1, 1, 1));
  protected span = 2;

  /** foot: pixels at the bottom that are kept free of the model */
  constructor(
    protected host: HTMLElement,
    private foot = FOOT,
  ) {
    this.camera.up.set(0, 0, 1);
  }

  abstract draw(): void;

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

  /** Screen position of a model point, in pixels of the host. */
  project(at: number[]): [number, number] {
    return this.projected(at, this.host.clientWidth, this.host.clientHeight);
  }

  get width(): number {
    return this.host.clientWidth;
  }

  /** Model units per pixel. */
  get unitsPerPixel(): number {
    return this.unitsPerPixelOf(this.host.clientHeight);
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

  /** Look against a direction, from the side where one is. */
  faceTo(normal: number[]) {
    const d = new THREE.Vector3(normal[0], normal[1], normal[2]).normalize();
    if (d.lengthSq() === 0) return;
    const back = new THREE.Vector3(0, 0, 1).applyQuaternion(this.camera.quaternion);
    if (d.dot(back) < 0) d.negate();
    this.camera.up.set(0, 0, 1);
    if (Math.abs(d.z) > 0.99) this.camera.up.set(0, 1, 0);
    this.camera.position.copy(this.target).addScaledVector(d, this.span * 2);
    this.camera.lookAt(this.target);
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
  protected turnLongPart() {
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

  /** The same height seen in a frame of another shape. */
  protected setAspect(aspect: number) {
    this.camera.left = -this.camera.top * aspect;
    this.camera.right = this.camera.top * aspect;
    this.camera.updateProjectionMatrix();
  }

  /** Pixels of a model point in a frame of another size. */
  protected projected(at: number[], width: number, height: number): [number, number] {
    const v = new THREE.Vector3(at[0], at[1], at[2]).project(this.camera);
    return [((v.x + 1) / 2) * width, ((1 - v.y) / 2) * height];
  }

  /** Model units per pixel in a picture so many pixels high. */
  unitsPerPixelOf(height: number): number {
    return (this.camera.top - this.camera.bottom) / this.camera.zoom / height;
  }

  protected setFrustum(half: number) {
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

  protected ray(event: { clientX: number; clientY: number }): THREE.Ray {
    const r = this.host.getBoundingClientRect();
    const x = ((event.clientX - r.left) / r.width) * 2 - 1;
    const y = 1 - ((event.clientY - r.top) / r.height) * 2;
    const caster = new THREE.Raycaster();
    caster.setFromCamera(new THREE.Vector2(x, y), this.camera);
    // an orthographic ray starts beside the model: move it well behind the viewer
    caster.ray.origin.addScaledVector(caster.ray.direction, -this.span * 10);
    return caster.ray;
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
    const r = this.host.getBoundingClientRect();
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
}
