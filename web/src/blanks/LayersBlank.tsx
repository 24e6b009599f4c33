import { useBench } from "../bench/context";
import {
  heights,
  type LayerRow,
  MEASURES,
  type Measure,
  measureOf,
} from "../stages/layers/heights";
import { Stack } from "../stages/layers/Stack";
import { type BlankProps, shownValue } from "./props";
import { Add, numberOr, Row, Text } from "./SizesBlank";

/** Layers on walls: a row for each scope, with its layers drawn to scale. */
export function LayersBlank({ value, change }: BlankProps) {
  const { unit } = useBench();
  const rows = (value as LayerRow[]) ?? [];
  return (
    <span className="block">
      {rows.length === 0 && <span className="text-soft">none.</span>}
      {rows.map((row, k) => (
        <Scope
          // biome-ignore lint/suspicious/noArrayIndexKey: rows have no names of their own
          key={k}
          row={row}
          number={k + 1}
          unit={unit}
          set={(next) => change(rows.map((r, i) => (i === k ? next : r)))}
          remove={() => change(rows.filter((_, i) => i !== k))}
        />
      ))}
      <span className="mt-1 flex flex-wrap gap-1">
        <Add
          words={rows.length === 0 ? "Layers on all walls" : "+ layers"}
          press={() =>
            change([
              ...rows,
              { patches: [rows.length === 0 ? "*" : "wall*"], count: 8, growth: 1.2, last: 0.5 },
            ])
          }
        />
      </span>
    </span>
  );
}

interface ScopeProps {
  row: LayerRow;
  number: number;
  unit: string;
  set: (row: LayerRow) => void;
  remove: () => void;
}

function Scope({ row, number, unit, set, remove }: ScopeProps) {
  const own = measureOf(row);
  const { patches, count, growth } = row;
  return (
    <Row remove={remove} what={`layers ${number}`}>
      on{" "}
      <Text
        label={`patches of layers ${number}`}
        value={patches.join(", ")}
        change={(t) => set({ ...row, patches: t.split(/[,\s]+/).filter(Boolean) })}
      />
      :{" "}
      <Text
        label={`number of layers ${number}`}
        value={shownValue(count)}
        change={(t) => set({ ...row, count: numberOr(t) })}
      />{" "}
      layers, each{" "}
      <Text
        label={`growth of layers ${number}`}
        value={shownValue(growth)}
        change={(t) => set({ ...row, growth: numberOr(t) })}
      />{" "}
      times the one below;{" "}
      <select
        aria-label={`what is given of layers ${number}`}
        className="blank"
        value={own}
        onChange={(e) => {
          const key = e.target.value as Measure;
          // in the units of the model a height is the same as before; of the edge it is unknown
          const told = heights(row);
          const kept = own !== "last" && key !== "last" ? told?.[key] : undefined;
          set({ patches, count, growth, [key]: kept ?? (key === "last" ? 0.5 : 1) });
        }}
      >
        {MEASURES.map(([key, words]) => (
          <option key={key} value={key}>
            {words}
          </option>
        ))}
      </select>{" "}
      <Text
        label={`height of layers ${number}`}
        value={shownValue(row[own])}
        change={(t) => set({ patches, count, growth, [own]: numberOr(t) })}
      />{" "}
      {own === "last" ? "of the wall's edge" : `${unit} high`}
      <Stack row={row} unit={unit} />
    </Row>
  );
}
