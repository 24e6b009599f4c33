import { useId, useState } from "react";
import { Hint } from "./Hint";
import type { BlankProps } from "./props";

/** Bytes of a list that is taken in, and names of it. */
const MOST = 200_000;
const MOST_NAMES = 1000;

/**
 * The names of a list as somebody wrote it down: one a line, or parted by commas, semicolons or
 * spaces, with quotes or without. What follows a # is a remark.
 */
export function namesIn(text: string): string[] {
  const bare = text.replace(/#.*$/gm, "");
  const found = bare.match(/"[^"\n]*"|'[^'\n]*'|[^\s,;"'()[\]{}]+/g) ?? [];
  const names = found.map((name) => name.replace(/^["']|["']$/g, "").trim()).filter(Boolean);
  return [...new Set(names)].slice(0, MOST_NAMES);
}

/** Names that are typed, pasted or dropped in as a file. */
export function ListedBlank({ blank, value, reason, changed, change }: BlankProps) {
  const id = useId();
  const names = (value as string[]) ?? [];
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  const [over, setOver] = useState(false);
  const [wrong, setWrong] = useState<string | null>(null);
  const begin = () => {
    setText(names.join("\n"));
    setWrong(null);
    setOpen(true);
  };
  const take = (typed: string) => {
    change(namesIn(typed));
    setOpen(false);
  };
  const drop = async (file: File | undefined) => {
    setOver(false);
    if (!file) return;
    if (file.size > MOST) {
      setWrong(`${file.name} is too large for a list of names.`);
      return;
    }
    const found = namesIn(await file.text());
    if (found.length === 0) setWrong(`${file.name} holds no names.`);
    else take(found.join("\n"));
  };
  const shown =
    names.length > 6
      ? `${names.slice(0, 5).join(", ")} and ${names.length - 5} more`
      : names.join(", ");
  return (
    <span className="group relative inline">
      <button
        type="button"
        aria-label={`${blank.label}: ${shown || "no list"}`}
        className={`blank text-left ${changed ? "changed" : ""}`}
        onClick={begin}
      >
        {shown || "no list"}
      </button>
      <Hint blank={blank} reason={reason} changed={changed} id={id} reset={() => change(null)} />
      {open && (
        <span className="mt-1.5 block font-sans text-[13px]">
          <textarea
            // biome-ignore lint/a11y/noAutofocus: it appears where one has just pressed
            autoFocus
            aria-label={blank.label}
            rows={5}
            placeholder="names, one a line; or drop a file here"
            className={`block w-full border bg-sheet p-1.5 ${over ? "border-verdigris" : "border-ink"}`}
            value={text}
            onChange={(e) => setText(e.target.value)}
            onKeyDown={(e) => e.key === "Escape" && setOpen(false)}
            onDragOver={(e) => {
              e.preventDefault();
              setOver(true);
            }}
            onDragLeave={() => setOver(false)}
            onDrop={(e) => {
              e.preventDefault();
              void drop(e.dataTransfer.files[0]);
            }}
          />
          {wrong && (
            <span role="alert" className="mt-1 block text-madder">
              ✕ {wrong}
            </span>
          )}
          <span className="mt-1 flex items-center gap-1.5">
            <button type="button" className="quiet" onClick={() => take(text)}>
              Take {namesIn(text).length === 1 ? "1 name" : `${namesIn(text).length} names`}
            </button>
            <label className="quiet cursor-pointer">
              From a file …
              <input
                type="file"
                className="sr-only"
                aria-label="file with the names"
                onChange={(e) => void drop(e.target.files?.[0])}
              />
            </label>
            <button type="button" className="quiet" onClick={() => setOpen(false)}>
              Leave it
            </button>
          </span>
        </span>
      )}
    </span>
  );
}
