import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { get } from "../../api/client";
import { useStudy } from "../../api/queries";
import { measure } from "../../parts/numbers";
import { type Line, Plot } from "../../parts/Plot";
import { reportOf, useBench } from "../../study/context";
import { useViewStore } from "../../view/store";
import {
  type Profile,
  parabola,
  QUANTITIES,
  type Quantity,
  quantities,
  readSolution,
  valuesOf,
} from "./profiles";
import { useFlow } from "./useFlow";

/** The flow along a line, typed or measured by ruler, with a known solution over it. */
export function FlowProfile() {
  const { variant, unit } = useBench();
  const flow = useFlow();
  const measured = useViewStore((s) => s.measured);
  const domain = reportOf(variant, "domain");
  const [typed, setTyped] = useState<string[] | null>(null);
  const [quantity, setQuantity] = useState<Quantity>("speed");
  const [over, setOver] = useState("");
  const [given, setGiven] = useState<[number, number][] | null>(null);
  const [trouble, setTrouble] = useState("");
  const file = useRef<HTMLInputElement>(null);
  const ends = typed ?? (domain ? across(domain.low, domain.high, domain.pin) : []);
  const numbers = ends.map(Number);
  const fits =
    ends.length === 6 &&
    ends.every((e) => e.trim() !== "") &&
    numbers.every(Number.isFinite) &&
    [0, 1, 2].some((k) => numbers[k] !== numbers[k + 3]);
  const asked = ["x0", "y0", "z0", "x1", "y1", "z1"].map((n, k) => `${n}=${numbers[k]}`).join("&");
  const address = `variants/${variant.id}/flow/profile?${asked}`;
  const told = useQuery({
    queryKey: ["profile", flow?.product, address],
    queryFn: () => get<Profile>(`${address}&count=201`),
    enabled: fits && Boolean(flow?.product),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 20_000,
    retry: false,
  });
  const study = useStudy(variant.study);
  const others = (study.data?.variants ?? []).filter((v) => v.id !== variant.id);
  const other = others.find((v) => `variant ${v.id}` === over);
  const beside = useQuery({
    queryKey: ["profile of another", other?.id, flow?.product, asked],
    queryFn: () => get<Profile>(`variants/${other?.id}/flow/profile?${asked}&count=201`),
    enabled: fits && Boolean(other),
    gcTime: 20_000,
    retry: false,
  });
  const values = told.data ? valuesOf(told.data, quantity) : [];
  const warm = told.data?.temperature.some((v) => v !== null) ?? false;
  const distance = told.data?.distance ?? [];
  const lines: Line[] = [
    { name: "computed", points: distance.map((d, k) => [d, values[k] ?? null]) },
  ];
  const solved = over === "parabola" ? parabola(distance, values) : null;
  if (solved)
    lines.push({
      name: "developed flow",
      points: distance.map((d, k) => [d, solved[k] ?? null]),
      dash: "4 3",
      colour: "var(--color-madder)",
    });
  if (over === "file" && given)
    lines.push({
      name: "from the file",
      points: given,
      dash: "4 3",
      colour: "var(--color-madder)",
    });
  const drawn = beside.data ? valuesOf(beside.data, quantity) : [];
  if (other && beside.data)
    lines.push({
      name: other.name,
      points: beside.data.distance.map((d, k) => [d, drawn[k] ?? null]),
      dash: "4 3",
      colour: "var(--color-madder)",
    });
  const set = (k: number, text: string) => setTyped(ends.map((e, i) => (i === k ? text : e)));
  const drop = async (files: FileList | null) => {
    const one = files?.[0];
    if (!one) return;
    try {
      setGiven(readSolution(await one.text()));
      setOver("file");
      setTrouble("");
    } catch (error) {
      setTrouble(`${one.name}: ${(error as Error).message}`);
    }
  };
  const ruled = measured?.at.length === 2 ? measured.at.flat() : null;
  const found = values.some((v) => v !== null);
  return (
    <section aria-label="Profile" className="mt-3 border-t border-line pt-2">
      <p className="sentence">
        Along the line
        {[0, 3].map((first) => (
          <span key={first} className="flex items-baseline gap-1">
            <span className="w-10">{first ? "to" : "from"}</span>
            {ends.slice(first, first + 3).map((e, k) => (
              <input
                // biome-ignore lint/suspicious/noArrayIndexKey: coordinates keep their places
                key={k}
                aria-label={`${"xyz"[k]} of the line's ${first ? "end" : "start"}`}
                className="blank w-16"
                inputMode="decimal"
                value={e}
                onChange={(event) => set(first + k, event.target.value)}
              />
            ))}
            {first ? unit : ""}
          </span>
        ))}
        draw the{" "}
        <select
          aria-label="quantity along the line"
          className="blank"
          value={quantity}
          onChange={(e) => setQuantity(e.target.value as Quantity)}
        >
          {quantities(warm).map(([key, [words]]) => (
            <option key={key} value={key}>
              {words}
            </option>
          ))}
        </select>{" "}
        with{" "}
        <select
          aria-label="known solution"
          className="blank"
          value={over}
          onChange={(e) => setOver(e.target.value)}
        >
          <option value="">no solution over it</option>
          <option value="parabola">developed pipe or channel flow</option>
          {given && <option value="file">the solution of the file</option>}
          {others.map((v) => (
            <option key={v.id} value={`variant ${v.id}`}>
              {v.name}
            </option>
          ))}
        </select>
        .
      </p>
      {!fits && (
        <p role="alert" className="text-madder">
          ✕ The line needs two different places, of three numbers each.
        </p>
      )}
      {told.isError && (
        <p role="alert" className="text-madder">
          ✕ {told.error.message}
        </p>
      )}
      {other && beside.isError && (
        <p role="alert" className="text-madder">
          ✕ {other.name}: {beside.error.message}
        </p>
      )}
      {told.data && !found && <p className="text-soft">The line does not pass through the flow.</p>}
      {found && (
        <Plot
          label={`${QUANTITIES[quantity][0]} along the line`}
          lines={lines}
          along={unit}
          value={QUANTITIES[quantity].join(", ")}
        />
      )}
      <p className="mt-1 flex flex-wrap gap-1.5">
        {ruled && (
          <button
            type="button"
            className="quiet"
            onClick={() => setTyped(ruled.map((v) => measure(v, 6).replaceAll(",", "")))}
          >
            Line of the ruler
          </button>
        )}
        <a className={`quiet ${fits ? "" : "invisible"}`} href={`/api/${address}&as=csv`} download>
          Write as CSV
        </a>
        <button type="button" className="quiet" onClick={() => file.current?.click()}>
          Lay a file over it
        </button>
        <input
          ref={file}
          type="file"
          accept=".csv,.txt"
          aria-label="a solution along the line"
          className="sr-only"
          tabIndex={-1}
          onChange={(e) => {
            drop(e.target.files);
            e.target.value = "";
          }}
        />
      </p>
      {trouble && (
        <p role="alert" className="text-madder">
          ✕ {trouble}
        </p>
      )}
    </section>
  );
}

/** Across a box along its shortest side, through a place in the fluid, or else its middle. */
function across(low: number[], high: number[], pin?: number[] | null): string[] {
  const size = low.map((l, k) => high[k]! - l);
  const axis = size.indexOf(Math.min(...size));
  const end = (side: number[]) =>
    low.map((l, k) => {
      const at = k === axis ? side[k]! : (pin?.[k] ?? (l + high[k]!) / 2);
      return String(Number(at.toPrecision(5)));
    });
  return [...end(low), ...end(high)];
}
