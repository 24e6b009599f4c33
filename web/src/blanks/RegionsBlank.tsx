import { reportOf, stateOf, useBench } from "../study/context";
import { type BlankProps, shownValue } from "./props";
import { Add, More, Row, Text } from "./RowParts";
import { fresh, type Region } from "./regions";
import { type AnyRow, numberOr, split } from "./rows";

const WORDS: Record<Region["shape"], string> = {
  box: "box",
  cylinder: "cylinder",
  sphere: "sphere",
  frustum: "frustum",
  shell: "shell",
};

const DRAWN = [
  ...["name", "shape", "size", "easing", "low", "high", "start", "end"],
  ...["radius", "end_radius", "patches", "thickness"],
];

/** Refinement regions: a row each; the shapes stand in the model and are dragged there. */
export function RegionsBlank({ blank, value, change }: BlankProps) {
  const { variant, unit } = useBench();
  const rows = (value as Region[]) ?? [];
  const domain = reportOf(variant, "domain");
  const largest = Number(stateOf(variant, "sizing").settings?.largest ?? 1);
  const set = (k: number, part: Partial<Region>) =>
    change(rows.map((r, i) => (i === k ? { ...r, ...part } : r)));
  const free = () => {
    let n = 1;
    while (rows.some((r) => r.name === `region_${n}`)) n += 1;
    return `region_${n}`;
  };
  return (
    <span className="block">
      {rows.length === 0 && <span className="text-soft">none.</span>}
      {rows.map((row, k) => (
        <Row key={row.name} what={row.name} remove={() => change(rows.filter((_, i) => i !== k))}>
          <Text
            label={`name of region ${k + 1}`}
            value={row.name}
            change={(name) => set(k, { name })}
          />{" "}
          is a {WORDS[row.shape]}
          <Shape row={row} change={(part) => set(k, part)} />
          <span className="block">
            with edges of{" "}
            <Text
              label={`edge length in ${row.name}`}
              value={shownValue(row.size)}
              change={(t) => set(k, { size: numberOr(t) })}
            />{" "}
            {unit},
          </span>
          easing over{" "}
          <Text
            label={`easing of ${row.name}`}
            value={shownValue(row.easing)}
            change={(t) => set(k, { easing: numberOr(t) })}
          />{" "}
          {unit}.{" "}
          <More
            rows={blank.rows}
            row={row as unknown as AnyRow}
            what={row.name}
            drawn={DRAWN}
            put={(next) => set(k, next as Partial<Region>)}
          />
        </Row>
      ))}
      {domain && (
        <span className="mt-1 flex flex-wrap gap-1">
          {(Object.keys(WORDS) as Region["shape"][]).map((shape) => (
            <Add
              key={shape}
              words={`+ ${WORDS[shape]}`}
              press={() =>
                change([...rows, fresh(shape, free(), domain.low, domain.high, largest / 3)])
              }
            />
          ))}
        </span>
      )}
    </span>
  );
}

function Shape({ row, change }: { row: Region; change: (part: Partial<Region>) => void }) {
  const point = (key: "low" | "high" | "start" | "end", words: string) => (
    <span className="block whitespace-nowrap">
      {words}{" "}
      {[0, 1, 2].map((i) => (
        <Text
          key={i}
          label={`${key} ${"xyz"[i]} of ${row.name}`}
          value={shownValue(row[key]?.[i])}
          change={(t) => change({ [key]: row[key]?.map((v, j) => (j === i ? numberOr(t) : v)) })}
        />
      ))}
    </span>
  );
  const number = (key: "radius" | "end_radius" | "thickness", words: string) => (
    <span className="mr-2 inline-block whitespace-nowrap">
      {words}{" "}
      <Text
        label={`${key.replace("_", " ")} of ${row.name}`}
        value={shownValue(row[key])}
        change={(t) => change({ [key]: numberOr(t) })}
      />
    </span>
  );
  if (row.shape === "box")
    return (
      <>
        {point("low", "from")}
        {point("high", "to")}
      </>
    );
  if (row.shape === "sphere")
    return (
      <>
        {point("start", "about")}
        {number("radius", "of radius")}
      </>
    );
  if (row.shape === "shell")
    return (
      <>
        {" "}
        around{" "}
        <Text
          label={`patches of ${row.name}`}
          value={(row.patches ?? []).join(", ")}
          change={(t) => change({ patches: split(t) })}
        />
        {number("thickness", "as thick as")}
      </>
    );
  return (
    <>
      {point("start", "from")}
      {point("end", "to")}
      {number("radius", "of radius")}
      {row.shape === "frustum" && number("end_radius", "widening to")}
    </>
  );
}
