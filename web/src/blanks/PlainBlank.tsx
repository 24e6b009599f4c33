import { ChoiceBlank } from "./ChoiceBlank";
import { BodiesBlank, FacesBlank } from "./FacesBlank";
import { ListedBlank } from "./ListedBlank";
import { NamesBlank } from "./NamesBlank";
import { NumberBlank } from "./NumberBlank";
import { PointBlank } from "./PointBlank";
import type { BlankProps } from "./props";
import { SeveralBlank } from "./SeveralBlank";

/** A blank that holds one value or names of things: those that a list's rows are made of. */
export function PlainBlank(props: BlankProps) {
  const { blank } = props;
  if (blank.type === "faces") return <FacesBlank {...props} />;
  if (blank.type === "names")
    return blank.name === "closed" ? <NamesBlank {...props} /> : <BodiesBlank {...props} />;
  if (blank.type === "several") return <SeveralBlank {...props} />;
  if (blank.type === "listed") return <ListedBlank {...props} />;
  if (blank.type === "choice") return <ChoiceBlank {...props} />;
  if (blank.type === "point") return <PointBlank {...props} />;
  return <NumberBlank {...props} />;
}
