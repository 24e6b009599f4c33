import { useState } from "react";
import { post, type Shape } from "../../api/client";
import { useSettings } from "../../api/queries";
import { measure } from "../../parts/numbers";
import { useBench } from "../../study/context";
import { useViewStore } from "../../view/store";

type Inlet = Pick<Shape<"InflowShape">, "name" | "hydraulic_diameter">;
type What = "speed" | "viscosity";

const METRES: Record<string, number> = {
  mm: 1e-3,
  cm: 1e-2,
  m: 1,
  in: 0.0254,
  ft: 0.3048,
  µm: 1e-6,
};

/** The speed of an inflow, or the viscosity of its fluid, from a Reynolds number on a length. */
export function WorkBack({ inlets }: { inlets: Inlet[] }) {
  const { variant, unit } = useBench();
  const settings = useSettings(variant.id);
  const measured = useViewStore((s) => s.measured);
  const tool = useViewStore((s) => s.tool);
  const setTool = useViewStore((s) => s.setTool);
  const [open, setOpen] = useState(false);
  const [patch, setPatch] = useState("");
  const [number, setNumber] = useState("");
  const [length, setLength] = useState<string | null>(null);
  const [what, setWhat] = useState<What>("speed");
  const [wrong, setWrong] = useState<string | null>(null);
  const inlet = inlets.find((i) => i.name === patch) ?? inlets[0];
  if (!inlet) return null;
  if (!open)
    return (
      <p className="mt-2">
        <button type="button" className="quiet" onClick={() => setOpen(true)}>
          Work back from a Reynolds number …
        </button>
      </p>
    );
  const usual = measure(inlet.hydraulic_diameter / (METRES[unit] ?? 1), 4).replaceAll(/\s/g, "");
  const ruled = measured?.distance ?? measured?.diameter;
  const typed = (text: string) => Number(text.replace(",", "."));
  const give = async () => {
    setWrong(null);
    const [reynolds, on] = [typed(number), typed(length ?? usual)];
    if (!(reynolds > 0) || !(on > 0)) {
      setWrong("Reynolds number and length must be numbers greater than nothing.");
      return;
    }
    try {
      const change = await post<Record<string, unknown>>(`variants/${variant.id}/case/back`, {
        patch: inlet.name,
        reynolds,
        length: on,
        what,
      });
      settings.mutate({ case: change });
    } catch (error) {
      setWrong(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <form
      aria-label="work back from a Reynolds number"
      className="mt-3 border border-line p-2.5 leading-7"
      onSubmit={(e) => {
        e.preventDefault();
        void give();
      }}
    >
      For a Reynolds number of{" "}
      <input
        aria-label="Reynolds number wanted"
        className="blank w-20"
        inputMode="decimal"
        value={number}
        onChange={(e) => setNumber(e.target.value)}
      />{" "}
      at{" "}
      <select
        aria-label="inlet"
        className="blank"
        value={inlet.name}
        onChange={(e) => setPatch(e.target.value)}
      >
        {inlets.map((i) => (
          <option key={i.name}>{i.name}</option>
        ))}
      </select>{" "}
      on a length of{" "}
      <input
        aria-label="length of the Reynolds number"
        className="blank w-20"
        inputMode="decimal"
        value={length ?? usual}
        onChange={(e) => setLength(e.target.value)}
      />{" "}
      {unit}{" "}
      {ruled !== undefined && tool === "ruler" ? (
        <button
          type="button"
          className="quiet py-0!"
          onClick={() => setLength(String(Number(ruled.toPrecision(6))))}
        >
          take the ruler's {measure(ruled, 4)}
        </button>
      ) : (
        <button type="button" className="quiet py-0!" onClick={() => setTool("ruler")}>
          by ruler
        </button>
      )}{" "}
      set{" "}
      <select
        aria-label="what is worked back"
        className="blank"
        value={what}
        onChange={(e) => setWhat(e.target.value as What)}
      >
        <option value="speed">the speed there</option>
        <option value="viscosity">the viscosity of its fluid</option>
      </select>
      .{" "}
      <span className="flex gap-1.5">
        <button type="submit" className="quiet">
          Set it
        </button>
        <button type="button" className="quiet" onClick={() => setOpen(false)}>
          Close
        </button>
      </span>
      {length === null && (
        <span className="block text-[12px] leading-snug text-soft">
          The length is the hydraulic diameter of {inlet.name}, until you give another.
        </span>
      )}
      {wrong && (
        <span role="alert" className="block leading-snug text-madder">
          ✕ {wrong}
        </span>
      )}
    </form>
  );
}
