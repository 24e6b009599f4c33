import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { ApiError, post } from "../api/client";
import { pageOf } from "../stages/registry";
import { reportOf, useBench } from "../study/context";

/** Writing a stage's geometry as a file, and adding files to the study. */
export function GeometryFiles() {
  const { variant, stage, lists } = useBench();
  const client = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [format, setFormat] = useState("stl");
  const [per, setPer] = useState("whole");
  const [trouble, setTrouble] = useState("");
  const page = pageOf(stage);
  const kind = reportOf(variant, "geometry")?.model?.kind;
  const { cad, facets } = lists.written;
  const formats = (kind === "cad" && !page.facetsOnly ? [...cad, ...facets] : facets).map((s) =>
    s.slice(1),
  );
  const settled = reportOf(variant, "patches") !== null;
  const ways = (page.writes ?? []).filter(([key]) => key !== "patch" || settled);
  const add = async (files: FileList | null) => {
    const form = new FormData();
    for (const file of Array.from(files ?? [])) form.append("file", file);
    if (!files?.length) return;
    setTrouble("");
    try {
      await post(`studies/${variant.study}/files`, form);
      client.invalidateQueries({ queryKey: ["jobs"] });
      client.invalidateQueries({ queryKey: ["variant", variant.id] });
    } catch (error) {
      setTrouble(error instanceof ApiError ? error.message : "The files could not be sent.");
    }
  };
  return (
    <details className="mt-2 border-t border-line pt-1.5">
      <summary className="cursor-pointer">
        {page.takesFiles ? "Files: write it, add to it" : "Write it as a file"}
      </summary>
      <p className="mt-1 flex flex-wrap items-center gap-1.5">
        <select
          aria-label="file format"
          className="blank"
          value={format}
          onChange={(e) => setFormat(e.target.value)}
        >
          {formats.map((f) => (
            <option key={f} value={f}>
              {f.toUpperCase()}
            </option>
          ))}
        </select>
        <select
          aria-label="one file or several"
          className="blank"
          value={per}
          onChange={(e) => setPer(e.target.value)}
        >
          {ways.map(([key, words]) => (
            <option key={key} value={key}>
              {words}
            </option>
          ))}
        </select>
        <a
          className="quiet"
          href={`/api/variants/${variant.id}/stages/${stage}/geometry?as=${format}&per=${per}`}
          download
        >
          Write
        </a>
      </p>
      {page.takesFiles && (
        <p className="mt-1.5">
          <button type="button" className="quiet" onClick={() => input.current?.click()}>
            Add files to the geometry
          </button>
          <input
            ref={input}
            type="file"
            multiple
            aria-label="files to add to the geometry"
            className="sr-only"
            tabIndex={-1}
            onChange={(e) => {
              add(e.target.files);
              e.target.value = "";
            }}
          />
        </p>
      )}
      {trouble && (
        <p role="alert" className="mt-1 text-madder">
          ✕ {trouble}
        </p>
      )}
    </details>
  );
}
