/** The head of a table of metrics. */
export function MetricHead() {
  return (
    <thead>
      <tr className="caps text-left">
        <th className="pb-0.5 pt-2 font-normal">metric</th>
        {["worst", "mean", "best"].map((word) => (
          <th key={word} className="pl-2 pt-2 text-right font-normal">
            {word}
          </th>
        ))}
      </tr>
    </thead>
  );
}
