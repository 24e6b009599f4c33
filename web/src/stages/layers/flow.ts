/** The flow at the walls, as the case and the domain have it, for a wanted y⁺ and its estimate. */
import { reportOf, stateOf, useBench } from "../../bench/context";
import { type LayerRow, wallFlow } from "./heights";

export type Flow = Required<Pick<LayerRow, "speed" | "length" | "viscosity" | "along">>;

/**
 * Speed and fluid of the case, the body's length or the width of the passage. Null until there is a
 * domain.
 */
export function useUsualFlow(): Flow | null {
  const { variant } = useBench();
  const own = stateOf(variant, "case").settings;
  const domain = reportOf(variant, "domain");
  if (!domain || !own) return null;
  const three = (x: number) => Number(x.toPrecision(3));
  const around = domain.faces.some((f) => f.role === "far");
  const part = reportOf(variant, "geometry");
  const width = (4 * domain.volume) / domain.area;
  const viscosity = Number(own.viscosity ?? 1.002e-3) / Number(own.density ?? 998.2);
  return {
    speed: Number(own.velocity ?? 1),
    length: three(around ? Math.max(...(part?.size ?? [1])) : width),
    viscosity: three(viscosity),
    along: around ? "plate" : "pipe",
  };
}

/** The flow that a row of layers asks for y⁺ by, else the usual one. */
export function useWallFlow(): Flow | null {
  const { variant } = useBench();
  const usual = useUsualFlow();
  const rows = (stateOf(variant, "layers").settings?.layers ?? []) as LayerRow[];
  const asked = rows.find((row) => row.yplus !== undefined);
  if (!asked) return usual;
  const { speed, length, viscosity, along } = asked;
  if (!speed || !length || !viscosity) return usual;
  return { speed, length, viscosity, along: along ?? "plate" };
}

/** y⁺ in the middle of a first layer one unit high; null where the flow does not tell. */
export function yplusPerHeight(flow: Flow | null, mm: number): number | null {
  if (!flow) return null;
  const one = wallFlow({ patches: [], count: 1, growth: 1, yplus: 1, ...flow }, mm);
  return one ? mm / 1000 / one.height : null;
}
