import { useMemo, useState } from "react";
import { useSettings } from "../api/queries";
import type { PatchSetting } from "../api/reports";
import { count, measure } from "../parts/numbers";
import { matches } from "../parts/pattern";
import { PatchSwatch } from "../parts/Sign";
import { useViewStore } from "../view/store";
import { reportOf, stateOf, useBench } from "./context";

interface Row {
  key: string;
  name: string;
  detail: string;
  regions: number[];
  swatch?: { kind: string; index: number };
  ticked?: boolean;
  at?: number[];
  rename?: (name: string) => void;
  tick?: () => void;
}

interface Section {
  title: string;
  rows: Row[];
  note?: string;
}

export function Ledger() {
  const [pattern, setPattern] = useState("");
  const sections = useSections();
  const found = pattern ? regionsOf(sections, pattern) : [];
  return (
    <aside aria-label="Ledger" className="flex min-h-0 flex-col border-r border-ink">
      <div className="flex items-center gap-1.5 border-b border-line p-2.5">
        <label className="min-w-0 flex-1">
          <span className="sr-only">Filter by name pattern</span>
          <input
            className="blank w-full"
            placeholder="filter, for example wall*"
            value={pattern}
            onChange={(e) => setPattern(e.target.value)}
          />
        </label>
        {found.length > 0 && (
          <button
            type="button"
            className="quiet px-1.5!"
            title="select the faces of all rows that fit"
            onClick={() => useViewStore.getState().setSelected(found)}
          >
            select
          </button>
        )}
      </div>
      <div className="min-h-0 flex-1 overflow-auto">
        {sections.map((section) => (
          <SectionList key={section.title} section={section} pattern={pattern} />
        ))}
      </div>
    </aside>
  );
}

/** Faces of all rows whose name fits a pattern, each once. */
function regionsOf(sections: Section[], pattern: string): number[] {
  const rows = sections.flatMap((s) => s.rows.filter((r) => matches(r.name, pattern)));
  return [...new Set(rows.flatMap((r) => r.regions))].sort((a, b) => a - b);
}

/** Rows drawn of a section: a scan can have thousands of faces. */
const MOST = 300;

function SectionList({ section, pattern }: { section: Section; pattern: string }) {
  const rows = section.rows.filter((r) => matches(r.name, pattern));
  return (
    <section className="pb-2">
      <h2 className="caps sticky top-0 z-10 bg-paper px-3 pb-1 pt-2.5">
        {section.title} <span className="text-ink">{rows.length}</span>
      </h2>
      {section.note && <p className="px-3 pb-1 text-soft">{section.note}</p>}
      <ul>
        {rows.slice(0, MOST).map((row) => (
          <RowItem key={row.key} row={row} />
        ))}
      </ul>
      {rows.length > MOST && (
        <p className="px-3 text-soft">and {rows.length - MOST} more: filter to see them.</p>
      )}
    </section>
  );
}

function RowItem({ row }: { row: Row }) {
  const selected = useViewStore((s) => s.selected);
  const hovered = useViewStore((s) => s.hovered);
  const hidden = useViewStore((s) => s.hidden);
  const { setSelected, hover, setHidden, setMarks } = useViewStore.getState();
  const [renaming, setRenaming] = useState(false);
  const on = row.regions.length > 0 && row.regions.every((r) => selected.includes(r));
  const lit = hovered !== null && row.regions.includes(hovered);
  const away = row.regions.length > 0 && row.regions.every((r) => hidden.includes(r));
  return (
    <li
      className={`group flex items-center gap-2 px-3 py-[3px] ${on ? "bg-wash" : lit ? "bg-shade" : ""}`}
      onPointerEnter={() => {
        hover(row.regions[0] ?? null);
        if (row.at)
          setMarks([
            ...useViewStore.getState().marks.filter((m) => m.id !== "pointed"),
            { id: "pointed", at: row.at, text: row.name, tone: "accent" },
          ]);
      }}
      onPointerLeave={() => {
        hover(null);
        if (row.at) setMarks(useViewStore.getState().marks.filter((m) => m.id !== "pointed"));
      }}
    >
      {row.tick && (
        <input
          type="checkbox"
          aria-label={`close ${row.name}`}
          className="accent-verdigris"
          checked={row.ticked}
          onChange={row.tick}
        />
      )}
      {row.swatch && <PatchSwatch {...row.swatch} />}
      {renaming ? (
        <input
          aria-label={`new name of ${row.name}`}
          className="blank min-w-0 flex-1"
          defaultValue={row.name}
          ref={(e) => e?.focus()}
          onBlur={(e) => {
            setRenaming(false);
            if (e.target.value !== row.name) row.rename?.(e.target.value.trim());
          }}
          onKeyDown={(e) => {
            if (e.key === "Enter") e.currentTarget.blur();
            if (e.key === "Escape") setRenaming(false);
          }}
        />
      ) : (
        <button
          type="button"
          className={`min-w-0 flex-1 truncate text-left ${away ? "text-soft line-through" : ""}`}
          title={row.rename ? `${row.name}: double click renames` : row.name}
          onClick={(e) => {
            if (e.shiftKey)
              setSelected([...new Set([...useViewStore.getState().selected, ...row.regions])]);
            else setSelected(row.regions);
          }}
          onDoubleClick={() => row.rename && setRenaming(true)}
        >
          {row.name}
        </button>
      )}
      {row.regions.length > 0 && (
        <button
          type="button"
          aria-label={away ? `show ${row.name}` : `hide ${row.name}`}
          className="px-1 text-soft opacity-0 hover:text-ink focus:opacity-100 group-hover:opacity-100"
          onClick={() =>
            setHidden(
              away ? hidden.filter((r) => !row.regions.includes(r)) : [...hidden, ...row.regions],
            )
          }
        >
          {away ? "show" : "hide"}
        </button>
      )}
      <span className="shrink-0 whitespace-nowrap text-[11.5px] text-soft">{row.detail}</span>
    </li>
  );
}

function useSections(): Section[] {
  const { variant, stage, unit } = useBench();
  const settings = useSettings(variant.id);
  return useMemo(() => {
    const geometry = reportOf(variant, "geometry");
    const domain = reportOf(variant, "domain");
    const area = (a: number) => `${measure(a, 3)} ${unit}²`;
    if (stage === "geometry") {
      if (!geometry) return [];
      return [
        {
          title: "Bodies",
          rows: geometry.bodies.map((b) => ({
            key: b.name,
            name: b.name,
            detail: b.solid ? `${measure(b.volume, 3)} ${unit}³` : "open sheet",
            regions: Array.isArray(b.faces) ? b.faces : [],
          })),
        },
        {
          title: "Faces",
          rows: geometry.faces.map((f, k) => ({
            key: f.id,
            name: f.name ? `${f.id} “${f.name}”` : `${f.id} ${f.surface}`,
            detail: area(f.area),
            regions: [k],
          })),
        },
      ];
    }
    if (stage === "domain") {
      if (!geometry) return [];
      const own = stateOf(variant, "domain").settings;
      const closed = (own?.closed as string[] | undefined) ?? [];
      const inside = own?.where === "inside";
      const where =
        own?.where === "around" ? "The fluid is around the part" : "The part is the fluid";
      // those of the largest space first; ticking one must not move it
      const main = geometry.spaces[0]?.openings ?? [];
      const sorted = [...geometry.openings].sort(
        (a, b) => Number(main.includes(b.name)) - Number(main.includes(a.name)),
      );
      return [
        {
          title: "Openings",
          note: inside || !own ? undefined : `${where}: nothing is closed.`,
          rows: sorted.map((o) => ({
            key: o.name,
            name: o.name,
            detail: `⌀ ${measure(o.diameter, 3)} ${unit}`,
            regions: [],
            at: o.centre,
            ticked: closed.includes(o.name),
            tick: inside
              ? () =>
                  settings.mutate({
                    domain: {
                      closed: closed.includes(o.name)
                        ? closed.filter((c) => c !== o.name)
                        : [...closed, o.name],
                    },
                  })
              : undefined,
          })),
        },
      ];
    }
    if (!domain) return [];
    const patches = reportOf(variant, "patches")?.patches ?? [];
    const number = new Map(domain.faces.map((f, k) => [f.id, k]));
    const setting = (stateOf(variant, "patches").settings?.patches ?? []) as PatchSetting[];
    const rows: Row[] = patches.map((p, k) => ({
      key: p.name,
      name: p.name,
      detail: area(p.area),
      regions: p.faces.map((f) => number.get(f) ?? -1).filter((r) => r >= 0),
      swatch: { kind: p.kind, index: k },
      rename: (name) =>
        settings.mutate({
          patches: { patches: setting.map((s) => (s.name === p.name ? { ...s, name } : s)) },
        }),
    }));
    const out: Section[] = [{ title: "Patches", rows }];
    if (stage === "patches" && (domain.zones ?? []).length > 1)
      out.push({
        title: "Zones",
        rows: domain.zones.map((z, k) => ({
          key: z.name,
          name: z.kind === "solid" ? `${z.name} (solid)` : z.name,
          detail: `${measure(z.volume, 3)} ${unit}³`,
          regions: domain.faces.flatMap((f, n) => (f.zones?.includes(k) ? [n] : [])),
        })),
      });
    if (stage === "patches")
      out.push({
        title: "Faces of the fluid",
        rows: domain.faces.map((f, k) => ({
          key: f.id,
          name: f.id,
          detail: area(f.area),
          regions: [k],
        })),
      });
    else {
      const mesh = reportOf(variant, "volume");
      out.push({
        title: "Zones",
        rows: (domain.zones ?? []).map((z, k) => ({
          key: z.name,
          name: z.kind === "solid" ? `${z.name} (solid)` : z.name,
          detail:
            mesh && domain.zones.length === 1
              ? `${count(mesh.cells)} cells`
              : `${measure(z.volume, 3)} ${unit}³`,
          regions: domain.faces.flatMap((f, n) => (f.zones?.includes(k) ? [n] : [])),
        })),
      });
    }
    return out;
  }, [variant, stage, unit, settings.mutate]);
}
