import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { ApiError, get, type Job, post, type Shape } from "../../api/client";
import { merge, useJobs } from "../../api/queries";
import { count, measure } from "../../parts/numbers";
import { Plot } from "../../parts/Plot";
import { useBench } from "../../study/context";

type Table = Shape<"ConvergenceShape">;

/** How the results depend on the grid, over the variants that differ in nothing else. */
export function GridConvergence({ iterations }: { iterations: number }) {
  const { variant, job } = useBench();
  const client = useQueryClient();
  const jobs = useJobs();
  const [chosen, setChosen] = useState("");
  const [trouble, setTrouble] = useState("");
  const [busy, setBusy] = useState(false);
  const flows = (jobs.data ?? []).filter((j) => j.study === variant.study && j.target === "flow");
  const stamp = flows.map((j) => j.state).join(" ");
  const told = useQuery({
    queryKey: ["convergence", variant.id, stamp],
    queryFn: () => get<Table>(`variants/${variant.id}/flow/convergence`),
    staleTime: 0,
    placeholderData: (before) => before,
  });
  const table = told.data;
  const under = flows.filter((j) => j.variant !== variant.id && !j.ended).length;

  const begin = async () => {
    setTrouble("");
    setBusy(true);
    try {
      const made = await post<{ jobs: Job[] }>(`variants/${variant.id}/flow/convergence`, {
        iterations,
      });
      for (const one of made.jobs) client.setQueryData<Job[]>(["jobs"], (old) => merge(old, one));
      client.invalidateQueries({ queryKey: ["studies"] });
    } catch (error) {
      setTrouble(error instanceof ApiError ? error.message : "They could not be made.");
    }
    setBusy(false);
  };

  const enough = table && table.variants.length >= 3;
  const row = table?.rows.find((r) => r.key === chosen) ?? table?.rows[0];
  return (
    <section aria-label="Grid convergence" className="mt-3 border-t border-line pt-2">
      <h3 className="heading text-[16px]">Does it depend on the grid?</h3>
      {!enough && (
        <>
          <p className="sentence leading-snug!">
            Three grids tell: this one, and two whose edges are longer by 1.4 and by 1.96.
          </p>
          <button
            type="button"
            className="quiet mt-1"
            disabled={busy || under > 0 || job !== undefined}
            onClick={begin}
          >
            Make two coarser variants and compute all
          </button>
          {under > 0 && (
            <p className="mt-1 text-soft">
              ◔ {under === 1 ? "one flow is" : `${under} flows are`} still under way
            </p>
          )}
        </>
      )}
      {trouble && (
        <p role="alert" className="mt-1 text-madder">
          ✕ {trouble}
        </p>
      )}
      {enough && row && (
        <>
          <p className="mt-1">
            <select
              aria-label="quantity over the grids"
              className="blank max-w-full"
              value={row.key}
              onChange={(e) => setChosen(e.target.value)}
            >
              {table.rows.map((r) => (
                <option key={r.key} value={r.key}>
                  {r.label}
                </option>
              ))}
            </select>{" "}
            <span className="text-soft">{row.unit}</span>
          </p>
          <table className="mt-1 w-full text-[12px]">
            <thead>
              <tr className="text-left text-soft">
                <th className="font-normal">variant</th>
                <th className="text-right font-normal">cells</th>
                <th className="text-right font-normal">edge</th>
                <th className="text-right font-normal">value</th>
              </tr>
            </thead>
            <tbody>
              {table.variants.map((v, k) => (
                <tr key={v} className="border-t border-line">
                  <td className="max-w-36 truncate pr-1" title={table.names[k]}>
                    {table.names[k]}
                  </td>
                  <td className="text-right">{count(table.cells[k]!)}</td>
                  <td className="text-right">{measure(table.sizes[k]!, 3)}</td>
                  <td className="text-right">
                    {row.values[k] === null ? "" : measure(row.values[k]!, 5)}
                  </td>
                </tr>
              ))}
              {row.extrapolated !== null && (
                <tr className="border-t border-ink">
                  <td colSpan={3}>extrapolated to no edge</td>
                  <td className="text-right">{measure(row.extrapolated, 5)}</td>
                </tr>
              )}
            </tbody>
          </table>
          <p className="mt-1 text-[12px]">
            {row.order !== null && <>observed order {measure(row.order, 3)}, </>}
            {row.index !== null && (
              <>convergence index of the finest grid {measure(100 * row.index, 2)} %</>
            )}
            {row.words && <span className="text-ochre"> {row.words}</span>}
          </p>
          <Plot
            label={`${row.label} over the grids`}
            along="edge over the finest"
            value={row.unit}
            lines={[
              {
                name: "computed",
                points: table.sizes.map((s, k) => [s, row.values[k] ?? null]),
              },
              ...(row.extrapolated === null
                ? []
                : [
                    {
                      name: "to no edge",
                      points: [
                        [0, row.extrapolated],
                        [table.sizes[0]!, row.values[0] ?? null],
                      ] as [number, number | null][],
                      dash: "4 3",
                      colour: "var(--color-madder)",
                    },
                  ]),
            ]}
          />
        </>
      )}
    </section>
  );
}
