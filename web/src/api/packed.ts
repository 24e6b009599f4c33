/** Reading the server's packed arrays: a JSON header, then aligned little-endian data. */

export type Numbers = Float32Array | Float64Array | Int32Array | Uint8Array | BigInt64Array;

export interface Packed {
  meta: Record<string, unknown>;
  arrays: Record<string, Numbers>;
}

interface Entry {
  name: string;
  dtype: string;
  shape: number[];
  offset: number;
}

export function unpack(buffer: ArrayBuffer): Packed {
  const magic = new TextDecoder().decode(new Uint8Array(buffer, 0, 4));
  if (magic !== "INTG") throw new Error("The server's answer is not a block of packed arrays.");
  const length = new DataView(buffer).getUint32(4, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 8, length)));
  const arrays: Record<string, Numbers> = {};
  for (const e of header.arrays as Entry[]) {
    const count = e.shape.reduce((a, b) => a * b, 1);
    const at = 8 + length + e.offset;
    if (e.dtype === "<f4") arrays[e.name] = new Float32Array(buffer, at, count);
    else if (e.dtype === "<f8") arrays[e.name] = new Float64Array(buffer, at, count);
    else if (e.dtype === "<i4") arrays[e.name] = new Int32Array(buffer, at, count);
    else if (e.dtype === "|u1") arrays[e.name] = new Uint8Array(buffer, at, count);
    else if (e.dtype === "<i8") arrays[e.name] = new BigInt64Array(buffer, at, count);
    else throw new Error(`The array ${e.name} has a type that the page does not know.`);
  }
  return { meta: header.meta ?? {}, arrays };
}
