import * as THREE from "three";
import { describe, expect, it } from "vitest";
import { extents } from "./geometry";

describe("the extents of a box on the screen", () => {
  const box = new THREE.Box3(new THREE.Vector3(-4, -1, 0), new THREE.Vector3(4, 1, 2));
  it("are its sides, seen straight on", () => {
    expect(extents(box, new THREE.Quaternion())).toEqual([4, 1]);
  });
  it("follow a turn about the vertical", () => {
    const quarter = new THREE.Quaternion().setFromAxisAngle(
      new THREE.Vector3(0, 0, 1),
      Math.PI / 2,
    );
    const [wide, high] = extents(box, quarter);
    expect(wide).toBeCloseTo(1);
    expect(high).toBeCloseTo(4);
  });
});
