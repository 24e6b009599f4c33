/** A labelled line of a form. */
export function Field({
  label,
  name,
  secret = false,
  autoComplete,
}: {
  label: string;
  name: string;
  secret?: boolean;
  autoComplete: string;
}) {
  return (
    <label className="mt-4 block">
      <span className="caps">{label}</span>
      <input
        name={name}
        type={secret ? "password" : "text"}
        autoComplete={autoComplete}
        required
        className="blank mt-1 block w-full py-1.5!"
      />
    </label>
  );
}
