/** Drawing signs for edges: free ones heavy with ticks, those with more than two faces doubled. */
import * as THREE from "three";
import { LineMaterial } from "three/examples/jsm/lines/LineMaterial.js";
import { LineSegments2 } from "three/examples/jsm/lines/LineSegments2.js";
import { LineSegmentsGeometry } from "three/examples/jsm/lines/LineSegmentsGeometry.js";

const MADDER = 0x9b2a2a;
const PAPER = 0xfdfbf6;

/** Short strokes across segments, about `apart` from each other and `long` long. */
export function ticks(segments: Float32Array, apart: number, long: number): Float32Array {
  const out: number[] = [];
  const a = new THREE.Vector3();
  const d = new THREE.Vector3();
  const side = new THREE.Vector3();
  let rest = 0;
  for (let k = 0; k < segments.length; k += 6) {
    a.set(segments[k]!, segments[k + 1]!, segments[k + 2]!);
    d.set(segments[k + 3]!, segments[k + 4]!, segments[k + 5]!).sub(a);
    const length = d.length();
    if (length === 0) continue;
    d.divideScalar(length);
    side.set(0, 0, 1);
    if (Math.abs(d.z) > 0.9) side.set(1, 0, 0);
    side.cross(d).normalize().multiplyScalar(long);
    for (let s = rest; s < length; s += apart) {
      const x = a.x + s * d.x;
      const y = a.y + s * d.y;
      const z = a.z + s * d.z;
      out.push(x, y, z, x + side.x, y + side.y, z + side.z);
    }
    rest = (((rest - length) % apart) + apart) % apart;
  }
  return new Float32Array(out);
}

function fat(segments: Float32Array, colour: number, width: number, order: number) {
  const geometry = new LineSegmentsGeometry();
  geometry.setPositions(segments);
  const material = new LineMaterial({ color: colour, linewidth: width, depthTest: false });
  const lines = new LineSegments2(geometry, material);
  lines.renderOrder = order;
  return lines;
}

/** A group to draw. size: diagonal of the model. */
export function edgeSigns(
  free: Float32Array | null,
  branching: Float32Array | null,
  size: number,
): THREE.Group {
  const out = new THREE.Group();
  if (free && free.length > 0) {
    out.add(fat(free, MADDER, 3, 2));
    const strokes = ticks(free, size / 90, size / 140);
    if (strokes.length > 0) out.add(fat(strokes, MADDER, 1.5, 2));
  }
  if (branching && branching.length > 0) {
    out.add(fat(branching, MADDER, 5, 2));
    out.add(fat(branching, PAPER, 2, 3));
  }
  return out;
}

export function disposeSigns(group: THREE.Group) {
  group.traverse((o) => {
    const mesh = o as THREE.Mesh;
    mesh.geometry?.dispose();
    (mesh.material as THREE.Material | undefined)?.dispose();
  });
}
