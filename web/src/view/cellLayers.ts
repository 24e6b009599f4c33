/** Sets of cells in the scene, each under a name: slices, chosen cells, those around one. */
import * as THREE from "three";
import { MeshBVH } from "three-mesh-bvh";
import { PATCH_COLOURS, RAMP, rgb } from "../parts/palette";
import { type CellArrays, cellGeometry } from "./geometry";
import { edgeSegments, type Segments } from "./lineDrawing";
import { CELL_FRAGMENT, CELL_VERTEX } from "./shaders";

/**
 * How values become colours: a ramp between two limits, even or even in the logarithm, or one colour
 * for each kind, by number; layers in turn, the core pale.
 */
export interface Colouring {
  how: "even" | "ratio" | "kinds" | "layers";
  limits: [number, number];
}

export interface CellLook {
  /** seen through, so that what lies within shows */
  ghost?: boolean;
  /** triangles of the surface itself, drawn over it */
  over?: boolean;
}

export interface PickedCell {
  cell: number;
  value: number;
  at: [number, number, number];
  distance: number;
}

const HOW = { even: 0, ratio: 1, kinds: 2, layers: 3 };

export function colourTexture(colours: readonly string[]): THREE.DataTexture {
  const data = new Uint8Array(
    colours.flatMap((c) => [...rgb(c).map((x) => Math.round(255 * x)), 255]),
  );
  const out = new THREE.DataTexture(data, colours.length, 1, THREE.RGBAFormat);
  out.magFilter = out.minFilter = THREE.NearestFilter;
  out.needsUpdate = true;
  return out;
}

export class CellLayers {
  private held = new Map<string, THREE.Object3D[]>();
  private data = new Map<string, CellArrays>();
  private trees = new Map<string, MeshBVH>();
  readonly ramp = colourTexture(RAMP);
  private kinds = colourTexture(PATCH_COLOURS);
  /** 1 on the dark plate; all materials share it */
  readonly dark = { value: 0 };

  constructor(
    private scene: THREE.Scene,
    private ink: () => THREE.LineBasicMaterial,
  ) {
    this.ramp.magFilter = this.ramp.minFilter = THREE.LinearFilter;
  }

  /** Draw cells under a name, or take them away (null); segments: lines drawn with them. */
  set(
    name: string,
    data: CellArrays | null,
    colouring: Colouring,
    segments: Float32Array | null = null,
    look: CellLook = {},
  ) {
    this.clear(name);
    const made: THREE.Object3D[] = [];
    if (segments && segments.length > 0) {
      const lines = new THREE.BufferGeometry();
      lines.setAttribute("position", new THREE.BufferAttribute(segments, 3));
      made.push(new THREE.LineSegments(lines, this.ink()));
    }
    if (data && data.triangles.length > 0) {
      const material = new THREE.ShaderMaterial({
        vertexShader: CELL_VERTEX,
        fragmentShader: CELL_FRAGMENT,
        side: THREE.DoubleSide,
        transparent: Boolean(look.ghost),
        depthWrite: !look.ghost,
        polygonOffset: Boolean(look.over),
        polygonOffsetFactor: -1,
        polygonOffsetUnits: -4,
        uniforms: {
          ramp: { value: this.ramp },
          kinds: { value: this.kinds },
          kindCount: { value: PATCH_COLOURS.length },
          how: { value: HOW[colouring.how] },
          limits: { value: new THREE.Vector2(...colouring.limits) },
          alpha: { value: look.ghost ? 0.1 : 1 },
          dark: this.dark,
        },
      });
      const mesh = new THREE.Mesh(cellGeometry(data), material);
      mesh.renderOrder = look.ghost ? 2 : 0;
      made.push(mesh);
      this.data.set(name, data);
    }
    if (made.length > 0) {
      this.held.set(name, made);
      for (const thing of made) this.scene.add(thing);
    }
  }

  /** The colours of a ramp, on paper or on the dark plate. */
  setGround(ramp: readonly string[], dark: boolean) {
    const made = colourTexture(ramp);
    this.ramp.image = made.image;
    this.ramp.needsUpdate = true;
    made.dispose();
    this.dark.value = dark ? 1 : 0;
  }

  clear(name: string) {
    for (const thing of (this.held.get(name) ?? []) as THREE.Mesh[]) {
      this.scene.remove(thing);
      thing.geometry.dispose();
      (thing.material as THREE.Material).dispose();
    }
    this.held.delete(name);
    this.data.delete(name);
    this.trees.delete(name);
  }

  names(): string[] {
    return [...this.held.keys()];
  }

  /** The nearest cell that a ray meets, of those that are not seen through. */
  pick(ray: THREE.Ray): PickedCell | null {
    let best: PickedCell | null = null;
    for (const [name, mesh] of this.meshes()) {
      const data = this.data.get(name);
      if (!data?.cell || (mesh.material as THREE.Material).transparent) continue;
      const tree = this.trees.get(name) ?? new MeshBVH(mesh.geometry, { indirect: true });
      this.trees.set(name, tree);
      const hit = tree.raycastFirst(ray, THREE.DoubleSide);
      if (!hit || (best && best.distance <= hit.distance)) continue;
      const t = hit.faceIndex ?? 0;
      const at = hit.point.toArray();
      best = { cell: data.cell[t]!, value: data.value[t]!, at, distance: hit.distance };
    }
    return best;
  }

  /** Meshes that a ray may meet, by name. */
  meshes(): [string, THREE.Mesh][] {
    return [...this.held].flatMap(([name, things]) =>
      things
        .filter((t): t is THREE.Mesh => t instanceof THREE.Mesh)
        .map((t) => [name, t] as [string, THREE.Mesh]),
    );
  }

  /** Edges of cells, and the lines drawn with them. */
  lineSets(): Segments[] {
    const out: Segments[] = [];
    for (const [name, things] of this.held) {
      for (const thing of things)
        if (thing instanceof THREE.LineSegments)
          out.push({
            points: thing.geometry.getAttribute("position").array as Float32Array,
            width: 1.3,
          });
      const data = this.data.get(name);
      if (data)
        out.push({ points: edgeSegments(data.points, data.triangles, data.sides), width: 0.5 });
    }
    return out;
  }

  dispose() {
    for (const name of this.names()) this.clear(name);
    this.ramp.dispose();
    this.kinds.dispose();
  }
}
