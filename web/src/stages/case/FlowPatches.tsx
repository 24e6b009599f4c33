import { measure } from "../../parts/numbers";
import type { ProofReport } from "./useFlow";

interface Row {
  flow_rate?: number;
  mean_pressure?: number;
  force?: number[];
  heat?: number;
  mean_temperature?: number;
}

const ZERO = 273.15;

/** Flow rate, pressure and force of every patch; heat and temperature where they are computed. */
export function FlowPatches({ report }: { report: ProofReport }) {
  const rows = Object.entries(report.patches) as [string, Row][];
  const warm = rows.some(([, r]) => r.heat !== undefined);
  return (
    <table className={`mt-2 w-full ${warm ? "text-[11px]" : "text-[12px]"}`}>
      <thead>
        <tr className="text-left text-soft">
          <th className="font-normal">patch</th>
          <th className="pl-2 text-right font-normal">flow out m³/s</th>
          <th className="pl-2 text-right font-normal">pressure Pa</th>
          <th className="pl-2 text-right font-normal">force N</th>
          {warm && (
            <th
              className="pl-2 text-right font-normal"
              title="into the cells; of a patch between zones from one side to the other"
            >
              heat W
            </th>
          )}
          {warm && <th className="pl-2 text-right font-normal">°C</th>}
        </tr>
      </thead>
      <tbody>
        {rows.map(([name, r]) => (
          <tr key={name} className="border-t border-line">
            <td className="max-w-20 truncate" title={name}>
              {name}
            </td>
            <td className="pl-2 text-right">{figure(r.flow_rate)}</td>
            <td className="pl-2 text-right">{figure(r.mean_pressure)}</td>
            <td
              className="pl-2 text-right"
              title={r.force && `x, y, z: ${r.force.map((f) => measure(f, 3)).join(", ")} N`}
            >
              {figure(r.force && Math.hypot(...r.force))}
            </td>
            {warm && <td className="pl-2 text-right">{figure(r.heat)}</td>}
            {warm && (
              <td className="pl-2 text-right">
                {figure(r.mean_temperature === undefined ? undefined : r.mean_temperature - ZERO)}
              </td>
            )}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const figure = (value: number | undefined) => (value === undefined ? "" : measure(value, 3));
