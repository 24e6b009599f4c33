/** What a stage is on the page. Each has a folder here; the registry lists them. */
import type { ComponentType } from "react";
import type { Finding } from "../api/reports";
import type { BenchContext } from "../study/context";
import type { Mark, Tool } from "../view/store";
import type { Viewport } from "../view/viewport";

/** A body, face, opening, patch or zone: what it is called and the faces that it has. */
export interface Row {
  key: string;
  name: string;
  detail: string;
  regions: number[];
  swatch?: { kind: string; index: number };
  ticked?: boolean;
  /** what ticking it does, if not closing */
  verb?: string;
  at?: number[];
  rename?: (name: string) => void;
  tick?: () => void;
}

export interface Section {
  title: string;
  rows: Row[];
  note?: string;
}

export interface StagePage {
  key: string;
  /** stages whose result is drawn here, by key or by what they give: the first that has one */
  draws: string[];
  /** the stage whose small picture it borrows, having none of its own */
  picture?: string;
  /** its own result is a mesh, whose edges are drawn */
  meshed?: boolean;
  /** it shows the part, not the fluid: other faces, and edges that are free or have too many */
  part?: boolean;
  /** edges that the mesh walks over are dotted */
  seams?: boolean;
  /** the mesh can be sliced here */
  slices?: boolean;
  /** its triangles can be coloured and looked at one by one */
  inPieces?: boolean;
  /** a click looks at a place; only with Shift, or by a box, faces are selected */
  places?: boolean;
  /** tools besides turning and selecting */
  tools: Tool[];
  /** ways of writing its result as a file: key and words */
  writes?: [string, string][];
  /** files can be added to it */
  takesFiles?: boolean;
  /** its result stays a mesh of triangles in files, whatever it was made of */
  facetsOnly?: boolean;
  /** its figure in the strip, or an empty text */
  headline: (bench: BenchContext) => string;
  /** what the settings come to, under the sentences of the brief */
  /** how its result stands to the limits, for the strip */
  verdict?: (bench: BenchContext) => { good: boolean; words: string } | null;
  Consequences: ComponentType;
  /** what does not fit as the settings stand, before it is run */
  useFindings?: () => Finding[];
  /** what it draws over the model */
  overlays?: ComponentType<{ view: Viewport }>[];
  /** marks in the model that follow from its settings */
  marks?: (bench: BenchContext) => Mark[];
  /** what the ledger lists */
  useSections: () => Section[];
}
