import type { ComponentType } from "react";
import { DivisionsBlank } from "./DivisionsBlank";
import { KindedBlank } from "./KindedBlank";
import { LayersBlank } from "./LayersBlank";
import { LimitsBlank } from "./LimitsBlank";
import { OperationsBlank } from "./OperationsBlank";
import { PatchesBlank } from "./PatchesBlank";
import { PinsBlank } from "./PinsBlank";
import { PlainBlank } from "./PlainBlank";
import type { BlankProps } from "./props";
import { RegionsBlank } from "./RegionsBlank";
import { SizesBlank } from "./SizesBlank";

/** Blanks that hold a list, by the type that the core gives them; all others are plain. */
const LISTS: Record<string, ComponentType<BlankProps>> = {
  patches: PatchesBlank,
  operations: OperationsBlank,
  sizes: SizesBlank,
  regions: RegionsBlank,
  pins: PinsBlank,
  layers: LayersBlank,
  divisions: DivisionsBlank,
  limits: LimitsBlank,
  kinded: KindedBlank,
};

export function Blank(props: BlankProps) {
  const Own = LISTS[props.blank.type] ?? PlainBlank;
  return <Own {...props} />;
}
