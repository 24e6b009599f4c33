import { ConditionSign } from "../parts/Sign";
import { pageOf } from "../stages/registry";
import { conditionOf, stateNamed, stateOf, useBench } from "../study/context";

export function Strip() {
  const bench = useBench();
  return (
    <nav
      aria-label="Stages"
      className="col-span-3 flex items-stretch gap-0 border-t border-ink bg-paper px-3 py-2"
    >
      {bench.stages.map((stage, k) => (
        <div key={stage.key} className="flex min-w-0 flex-1 items-center">
          {k > 0 && <span aria-hidden="true" className="h-px w-2.5 shrink-0 bg-ink" />}
          <Frame stage={stage.key} title={stage.title} number={k + 1} />
        </div>
      ))}
    </nav>
  );
}

function Frame({ stage, title, number }: { stage: string; title: string; number: number }) {
  const bench = useBench();
  const condition = conditionOf(bench, stage);
  const open = bench.stage === stage;
  const state = stateOf(bench.variant, stage);
  const from = stateNamed(bench.variant, pageOf(stage).picture ?? stage);
  const verdict = condition === "current" ? pageOf(stage).verdict?.(bench) : null;
  const picture = from.product && state.condition !== "none";
  return (
    <div
      className={`relative h-full min-w-0 flex-1 border bg-sheet ${open ? "border-ink" : "border-line"}`}
    >
      <button
        type="button"
        aria-current={open ? "step" : undefined}
        onClick={() => bench.openStage(stage)}
        className="flex h-full w-full flex-col overflow-hidden text-left hover:bg-wash"
      >
        <span className="flex w-full items-baseline gap-1.5 px-2 pt-1">
          <span className="text-[10.5px] text-soft">{number}</span>
          <span className="heading grow truncate text-[15px] leading-tight">{title}</span>
          {condition === "running" ? (
            <span className="text-[11.5px] text-verdigris">
              {Math.round(100 * (bench.job?.share ?? 0))} %
            </span>
          ) : (
            <ConditionSign condition={condition} />
          )}
        </span>
        <span className={`block h-11 w-full px-2 ${condition === "outdated" ? "opacity-45" : ""}`}>
          {picture ? (
            <img
              src={`/api/variants/${bench.variant.id}/stages/${from.stage}/picture?product=${from.product!.slice(0, 16)}`}
              alt=""
              className="h-full w-full object-contain"
            />
          ) : (
            <span className="block h-full" />
          )}
        </span>
        <span className="flex w-full justify-between gap-1 px-2 pb-1 text-[11.5px]">
          <span className="truncate">{pageOf(stage).headline(bench) || "\u00a0"}</span>
          {verdict && (
            <span className={`whitespace-nowrap ${verdict.good ? "text-verdigris" : "text-ochre"}`}>
              {verdict.good ? "✓" : "△"}
              <span className={verdict.good ? "sr-only" : "ml-0.5"}>{verdict.words}</span>
            </span>
          )}
        </span>
        {condition === "running" && (
          <span
            className="absolute bottom-0 left-0 h-[3px] bg-verdigris"
            style={{ width: `${100 * (bench.job?.share ?? 0)}%` }}
          />
        )}
      </button>
      {open && (
        <span
          aria-hidden="true"
          className="absolute -top-[3px] left-0 h-[3px] w-full bg-verdigris"
        />
      )}
    </div>
  );
}
