import { useViewStore } from "../../view/store";
import type { FieldRow } from "./useFlow";

/** What the model is coloured by of the flow: on a slice, or on the patches. */
export function FlowFields({ fields }: { fields: FieldRow[] }) {
  const { field, slice, setField, setSlice, setPlane } = useViewStore();
  const choose = (key: string | null) => {
    setField(key);
    const of = fields.find((f) => f.key === key)?.of;
    if (of === "rim") setSlice({ on: false });
    else if (of === "cell" && !slice.on) {
      setPlane({});
      setSlice({ on: true, flat: true });
    } else if (key === "arrows") setSlice({ flat: true }); // within whole cells they do not show
  };
  return (
    <p className="mt-2">
      On the model:{" "}
      <select
        aria-label="field of the flow to show"
        className="blank"
        value={field ?? ""}
        onChange={(e) => choose(e.target.value || null)}
      >
        <option value="">nothing of the flow</option>
        <optgroup label="on a slice">
          {fields
            .filter((f) => f.of === "cell")
            .map((f) => (
              <option key={f.key} value={f.key}>
                {f.label}
              </option>
            ))}
        </optgroup>
        <optgroup label="on patches">
          {fields
            .filter((f) => f.of === "rim")
            .map((f) => (
              <option key={f.key} value={f.key}>
                {f.label}
              </option>
            ))}
        </optgroup>
      </select>
    </p>
  );
}
