import { describe, expect, it } from "vitest";
import { unpack } from "./packed";

function block(header: object, data: Uint8Array): ArrayBuffer {
  let text = JSON.stringify(header);
  while ((text.length + 8) % 8) text += " ";
  const out = new Uint8Array(8 + text.length + data.length);
  out.set(new TextEncoder().encode("INTG"));
  new DataView(out.buffer).setUint32(4, text.length, true);
  out.set(new TextEncoder().encode(text), 8);
  out.set(data, 8 + text.length);
  return out.buffer;
}

describe("unpack", () => {
  it("gives arrays their type and length", () => {
    const data = new Uint8Array(new Float32Array([1.5, -2]).buffer);
    const entry = { name: "points", dtype: "<f4", shape: [2], offset: 0 };
    const got = unpack(block({ meta: { cells: 3 }, arrays: [entry] }, data));
    expect(Array.from(got.arrays.points as Float32Array)).toEqual([1.5, -2]);
    expect(got.meta.cells).toBe(3);
  });
  it("refuses other bytes", () => {
    expect(() =>
      unpack(new TextEncoder().encode("<html>nonsense").buffer as ArrayBuffer),
    ).toThrow();
  });
});
