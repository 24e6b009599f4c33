import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { ApiError, get, patch, post, remove, type Shape } from "../api/client";
import { ago } from "../parts/numbers";

type Invitation = Shape<"InvitationShape">;
type Person = Shape<"AccountShape">;

/** Accounts and invitations, for those who keep them. */
export function Keeping({ own }: { own: string | null }) {
  const client = useQueryClient();
  const [made, setMade] = useState<Invitation | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [note, setNote] = useState("");
  const [keeper, setKeeper] = useState(false);
  const people = useQuery({
    queryKey: ["account", "people"],
    queryFn: () => get<Person[]>("accounts"),
  }).data;
  const open = useQuery({
    queryKey: ["account", "invitations"],
    queryFn: () => get<Invitation[]>("invitations"),
  }).data;

  const attempt = async (act: () => Promise<unknown>) => {
    setTrouble(null);
    try {
      await act();
      client.invalidateQueries({ queryKey: ["account"] });
    } catch (error) {
      setTrouble(error instanceof ApiError ? error.message : String(error));
    }
  };
  const invite = (asked: { note?: string; keeper?: boolean; account?: number }) =>
    attempt(async () => setMade(await post<Invitation>("invitations", asked)));

  return (
    <section aria-labelledby="accounts" className="col-span-2 grid max-w-5xl grid-cols-2 gap-x-10">
      <div>
        <h2 id="accounts" className="heading text-[19px]">
          Accounts
        </h2>
        <table className="mt-2 w-full text-left">
          <tbody>
            {(people ?? []).map((p) => (
              <tr key={p.id} className="border-b border-line">
                <td className={`py-1 ${p.open ? "" : "text-soft line-through"}`}>{p.name}</td>
                <td className="text-soft">{p.keeper ? "keeper" : ""}</td>
                <td className="text-soft">{p.seen ? `seen ${ago(p.seen)}` : ""}</td>
                <td className="text-right">
                  {/* one's own is changed above */}
                  <button
                    type="button"
                    className="quiet my-0.5"
                    disabled={p.name === own}
                    title="a link with which they set a new password"
                    onClick={() => invite({ account: p.id })}
                  >
                    New password
                  </button>{" "}
                  <button
                    type="button"
                    className="quiet my-0.5"
                    disabled={p.name === own}
                    onClick={() =>
                      attempt(() => patch<Person[]>(`accounts/${p.id}`, { open: !p.open }))
                    }
                  >
                    {p.open ? "Close" : "Open again"}
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <div>
        <h2 className="heading text-[19px]">Invitations</h2>
        <form
          className="mt-2 flex items-end gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            invite({ note, keeper });
            setNote("");
            setKeeper(false);
          }}
        >
          <label className="flex-1">
            <span className="caps">for whom, a note</span>
            <input
              className="blank mt-1 block w-full"
              maxLength={120}
              value={note}
              onChange={(e) => setNote(e.target.value)}
            />
          </label>
          <label className="flex items-center gap-1.5 whitespace-nowrap">
            <input type="checkbox" checked={keeper} onChange={(e) => setKeeper(e.target.checked)} />
            may invite too
          </label>
          <button type="submit" className="action py-1!">
            Invite
          </button>
        </form>
        {made?.secret && (
          <div role="status" className="mt-3 border border-verdigris bg-wash p-3">
            <p>
              Send this link to {made.account ?? (made.note || "whom you invite")} yourself. It
              works once, for a week, and is shown only now.
            </p>
            <input
              aria-label="Link of the invitation"
              readOnly
              className="blank mt-2 w-full"
              value={`${location.origin}/join/${made.secret}`}
              onFocus={(e) => e.currentTarget.select()}
            />
          </div>
        )}
        <ul className="mt-3">
          {(open ?? []).map((row) => (
            <li key={row.id} className="flex items-center gap-3 border-b border-line py-1">
              <span className="flex-1">
                {row.account ? `new password for ${row.account}` : row.note || "no note"}
                {row.keeper ? ", may invite" : ""}
              </span>
              <span className="text-soft">
                until {new Date(row.until).toLocaleDateString("en-GB")}
              </span>
              <button
                type="button"
                className="quiet"
                onClick={() => {
                  if (made?.id === row.id) setMade(null);
                  attempt(() => remove(`invitations/${row.id}`));
                }}
              >
                Withdraw
              </button>
            </li>
          ))}
        </ul>
        {trouble && (
          <p role="alert" className="mt-2 text-madder">
            ✕ {trouble}
          </p>
        )}
      </div>
    </section>
  );
}
