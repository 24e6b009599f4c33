import { reportOf, useBench } from "../study/context";
import { type LayerRow, MEASURES, type Measure, measureOf } from "./layers/rows";
import { Stack } from "./layers/Stack";
import { type FlowTold, type RowTold, useLayersTold } from "./layers/useLayersTold";
import { type BlankProps, shownValue } from "./props";
import { Add, More, Row, Text } from "./RowParts";
import { type AnyRow, newRow, numberOr, type RowForms, split } from "./rows";

const DRAWN = [
  ...["patches", "count", "growth", "solids", "first", "total", "last"],
  ...["yplus", "speed", "length", "viscosity", "along"],
];

/** Layers on walls: a row for each scope, with its layers drawn to scale. */
export function LayersBlank({ blank, value, change }: BlankProps) {
  const { unit, variant } = useBench();
  const zones = reportOf(variant, "domain")?.zones ?? [];
  const told = useLayersTold();
  const rows = (value as LayerRow[]) ?? [];
  // what is told of as many rows is told of these
  const known = told?.layers.length === rows.length ? told.layers : [];
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
          usual={told?.flow ?? null}
          told={known[k] ?? null}
          forms={blank.rows}
          hasSolids={zones.some((zone) => zone.kind === "solid")}
          set={(next) => change(rows.map((r, i) => (i === k ? next : r)))}
          remove={() => change(rows.filter((_, i) => i !== k))}
        />
      ))}
      <span className="mt-1 flex flex-wrap gap-1">
        <Add
          words={rows.length === 0 ? "Layers on all walls" : "+ layers"}
          press={() => {
            const given = { patches: [rows.length === 0 ? "*" : "wall*"] };
            change([...rows, blank.rows ? newRow(blank.rows, "last", given) : given]);
          }}
        />
      </span>
    </span>
  );
}

/** What a new row has where it is given by that. */
const startOf = (forms: RowForms | null, key: Measure): number =>
  (forms?.forms.find((form) => form.key === key)?.blanks[0]?.start as number | undefined) ?? 1;

interface ScopeProps {
  row: LayerRow;
  number: number;
  unit: string;
  usual: FlowTold | null;
  told: RowTold | null;
  forms: RowForms | null;
  hasSolids: boolean;
  set: (row: LayerRow) => void;
  remove: () => void;
}

function Scope({ row, number, unit, usual, told, forms, hasSolids, set, remove }: ScopeProps) {
  const own = measureOf(row);
  const { patches, count, growth } = row;
  const solids = row.solids ? { solids: true } : {};
  return (
    <Row remove={remove} what={`layers ${number}`}>
      on{" "}
      <Text
        label={`patches of layers ${number}`}
        value={patches.join(", ")}
        change={(t) => set({ ...row, patches: split(t) })}
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
          if (key === "yplus") {
            if (!usual) return;
            const { speed, length, viscosity, along } = usual;
            const yplus = startOf(forms, key);
            set({ patches, count, growth, yplus, speed, length, viscosity, along, ...solids });
            return;
          }
          const kept = own !== "last" && key !== "last" ? told?.[key] : undefined;
          const rounded = kept && Number(kept.toPrecision(3));
          set({ patches, count, growth, [key]: rounded ?? startOf(forms, key), ...solids });
        }}
      >
        {MEASURES.filter(([key]) => key !== "yplus" || own === key || usual).map(([key, words]) => (
          <option key={key} value={key}>
            {words}
          </option>
        ))}
      </select>{" "}
      <Text
        label={`height of layers ${number}`}
        value={shownValue(row[own])}
        change={(t) => set({ ...row, [own]: numberOr(t) })}
      />{" "}
      {own === "last" ? "of the wall's edge" : own === "yplus" ? "" : `${unit} high`}
      {own === "yplus" && (
        <>
          , at{" "}
          <Text
            label={`speed of layers ${number}`}
            value={shownValue(row.speed)}
            change={(t) => set({ ...row, speed: numberOr(t) })}
          />{" "}
          m/s{" "}
          <select
            aria-label={`wall of layers ${number}`}
            className="blank"
            value={row.along ?? "plate"}
            onChange={(e) => set({ ...row, along: e.target.value })}
          >
            <option value="plate">along a plate of</option>
            <option value="pipe">in a pipe of</option>
          </select>{" "}
          <Text
            label={`length of layers ${number}`}
            value={shownValue(row.length)}
            change={(t) => set({ ...row, length: numberOr(t) })}
          />{" "}
          {unit}, viscosity{" "}
          <Text
            label={`viscosity of layers ${number}`}
            value={shownValue(row.viscosity)}
            change={(t) => set({ ...row, viscosity: numberOr(t) })}
          />{" "}
          m²/s
        </>
      )}
      {hasSolids && (
        <label className="block">
          <input
            type="checkbox"
            checked={row.solids ?? false}
            onChange={(e) => {
              const { solids: _, ...rest } = row;
              set(e.target.checked ? { ...rest, solids: true } : rest);
            }}
          />{" "}
          in solids too
        </label>
      )}
      <More
        rows={forms}
        row={row as unknown as AnyRow}
        what={`layers ${number}`}
        drawn={DRAWN}
        put={(next) => set(next as unknown as LayerRow)}
      />
      {own === "yplus" && usual?.told === false && (
        <span className="block text-[11.5px] leading-tight text-soft">
          The case tells no speed yet: 1 m/s stands for yours.
        </span>
      )}
      {told && <Stack told={told} unit={unit} named={own === "yplus"} />}
    </Row>
  );
}
