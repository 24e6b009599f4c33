import { useState } from "react";
import { matches } from "../parts/pattern";
import { PatchSwatch } from "../parts/Sign";
import { pageOf } from "../stages/registry";
import type { Row, Section } from "../stages/stage";
import { useBench } from "../study/context";
import { useViewStore } from "../view/store";

export function Ledger() {
  const [pattern, setPattern] = useState("");
  const { stage } = useBench();
  // each stage lists its things with hooks of its own: another stage is another component
  return <StageLedger key={stage} stage={stage} pattern={pattern} setPattern={setPattern} />;
}

function StageLedger({
  stage,
  pattern,
  setPattern,
}: {
  stage: string;
  pattern: string;
  setPattern: (pattern: string) => void;
}) {
  const sections = pageOf(stage).useSections();
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
      aria-current={on ? true : undefined}
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
          aria-label={`${row.verb ?? "close"} ${row.name}`}
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
          className="w-0 overflow-hidden text-soft opacity-0 hover:text-ink focus:w-auto focus:px-1 focus:opacity-100 group-hover:w-auto group-hover:px-1 group-hover:opacity-100"
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
