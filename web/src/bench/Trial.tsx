import { useState } from "react";
import { ApiError, post } from "../api/client";
import { count } from "../parts/numbers";
import { go } from "../parts/route";
import { stateGiving, useBench } from "../study/context";
import { MOST_TRIALS, type Spread } from "../study/trials";

interface Props {
  /** the setting that several values were typed into */
  name: string;
  trial: Spread;
  leave: () => void;
  refresh: () => void;
}

/** What several values in one blank come to: a variant for each, run and set side by side. */
export function Trial({ name, trial, leave, refresh }: Props) {
  const { variant, stage, stages } = useBench();
  const meshed = stateGiving(variant, "mesh").stage;
  const [trouble, setTrouble] = useState("");
  const [busy, setBusy] = useState(false);
  const word = (trial.field || name).replace(/_/g, " ");
  const many = trial.values.length > MOST_TRIALS;
  const order = stages.map((s) => s.key);
  const target = order.indexOf(stage) > order.indexOf(meshed) ? stage : meshed;
  const begin = async () => {
    setBusy(true);
    setTrouble("");
    try {
      const made = await post<{ variants: { id: number }[] }>(`studies/${variant.study}/trials`, {
        source: variant.id,
        target,
        trials: trial.values.map((v, k) => ({
          name: `${word} ${v}`.slice(0, 60),
          settings: { [stage]: { [name]: trial.settings[k] } },
        })),
      });
      refresh();
      leave();
      const ids = made.variants.map((v) => v.id);
      go({ study: variant.study, variant: variant.id, stage, compare: ids });
    } catch (error) {
      setTrouble(error instanceof ApiError ? error.message : String(error));
      setBusy(false);
    }
  };
  return (
    <section aria-label="Trial" className="border border-verdigris bg-sheet px-3 py-2">
      <p className="sentence leading-snug!">
        Try {word} {trial.values.join(", ")}
        {many
          ? `: that is ${trial.values.length} values; no more than ${MOST_TRIALS} are compared at once.`
          : `: ${count(trial.values.length)} variants branch from this one, run to the mesh, and are set side by side.`}
      </p>
      <div className="mt-1.5 flex gap-2">
        {!many && (
          <button type="button" className="action" disabled={busy} onClick={begin}>
            Make and run them
          </button>
        )}
        <button type="button" className="quiet" onClick={leave}>
          Leave it
        </button>
      </div>
      {trouble && (
        <p role="alert" className="mt-1.5 text-madder">
          ✕ {trouble} None was made.
        </p>
      )}
    </section>
  );
}
