import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { ApiError, get, remove, type Shape } from "../api/client";
import type { Session } from "../api/queries";
import { ago } from "../parts/numbers";
import { go } from "../parts/route";
import { ThemeButton } from "../parts/ThemeButton";
import { Keeping } from "./Keeping";
import { Password } from "./Password";

type Browser = Shape<"BrowserShape">;

/** One's account: password, where one is signed in, what happened; accounts, for their keepers. */
export function Account({ session }: { session: Session }) {
  return (
    <div className="flex h-full flex-col">
      <header className="flex h-14 shrink-0 items-center gap-5 border-b border-ink px-6">
        <button
          type="button"
          className="quiet"
          onClick={() => go({ study: null, variant: null, stage: "" })}
        >
          ◧ Shelf
        </button>
        <h1 className="heading text-[22px]">{session.username}</h1>
        <span className="text-soft">
          {session.keeper ? "keeps the accounts" : "an account"}
          {session.demo ? ", in the demo" : ""}
        </span>
        <span className="ml-auto">
          <ThemeButton />
        </span>
      </header>
      <main className="grid min-h-0 flex-1 grid-cols-[320px_minmax(0,1fr)] content-start items-start gap-x-10 gap-y-8 overflow-auto px-6 py-5">
        <Password session={session} />
        <Browsers />
        {session.keeper && <Keeping own={session.username} />}
        <Log keeper={session.keeper} />
      </main>
    </div>
  );
}

/** Words for what a browser says of itself, which is long and of no use to most. */
export function browserInWords(told: string): string {
  const system = /Windows|Mac OS X|Android|iPhone|iPad|Linux/.exec(told)?.[0];
  // most say Chrome and Safari too, whatever they are
  const name =
    /(Edg|Firefox)\/(\d+)/.exec(told) ??
    /(Chrom)\w+\/(\d+)/.exec(told) ??
    /(Safari)\/(\d+)/.exec(told);
  if (!name) return told || "unknown";
  const short = { Edg: "Edge", Chrom: "Chrome" }[name[1]!] ?? name[1];
  return `${short} ${name[2]}${system ? ` on ${system}` : ""}`;
}

function Browsers() {
  const client = useQueryClient();
  const [trouble, setTrouble] = useState<string | null>(null);
  const told = useQuery({
    queryKey: ["account", "browsers"],
    queryFn: () => get<Browser[]>("account/browsers"),
  }).data;
  const end = async (path: string) => {
    setTrouble(null);
    try {
      client.setQueryData(["account", "browsers"], await remove<Browser[]>(path));
      client.invalidateQueries({ queryKey: ["account", "log"] });
    } catch (error) {
      setTrouble(error instanceof ApiError ? error.message : String(error));
    }
  };
  return (
    <section aria-labelledby="browsers">
      <h2 id="browsers" className="heading text-[19px]">
        Where you are signed in
      </h2>
      <table className="mt-2 w-full text-left">
        <thead>
          <tr className="caps border-b border-ink">
            <th className="py-1 font-normal">browser</th>
            <th className="font-normal">address</th>
            <th className="font-normal">since</th>
            <th className="font-normal">last used</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {(told ?? []).map((row) => (
            <tr key={row.number} className="border-b border-line">
              <td className="py-1" title={row.browser}>
                {browserInWords(row.browser)}
              </td>
              <td>{row.address}</td>
              <td>{ago(row.begun)}</td>
              <td>{ago(row.seen)}</td>
              <td className="text-right">
                {row.own ? (
                  <span className="text-soft">this one</span>
                ) : (
                  <button
                    type="button"
                    className="quiet my-0.5"
                    onClick={() => end(`account/browsers/${row.number}`)}
                  >
                    Sign out
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {(told?.length ?? 0) > 1 && (
        <button type="button" className="quiet mt-3" onClick={() => end("account/browsers")}>
          Sign out everywhere else
        </button>
      )}
      {trouble && (
        <p role="alert" className="mt-2 text-madder">
          ✕ {trouble}
        </p>
      )}
    </section>
  );
}

/** Kinds of lines that one would look at twice. */
const GRAVE = ["refused", "locked"];

function Log({ keeper }: { keeper: boolean }) {
  const [all, setAll] = useState(false);
  const told = useQuery({
    queryKey: ["account", "log", all],
    queryFn: () => get<Shape<"EventShape">[]>(`account/log?all=${all}`),
  }).data;
  return (
    <section aria-labelledby="log" className="col-span-2">
      <h2 id="log" className="heading flex items-center gap-3 text-[19px]">
        What happened
        {keeper && (
          <button
            type="button"
            className="quiet font-sans text-[13px] tracking-normal"
            aria-pressed={all}
            onClick={() => setAll(!all)}
          >
            of all accounts
          </button>
        )}
      </h2>
      <table className="mt-2 w-full max-w-4xl text-left">
        <tbody>
          {(told ?? []).map((event, k) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: lines have no number of their own
            <tr key={k} className="border-b border-line">
              <td className="w-40 py-1">{new Date(event.at).toLocaleString("en-GB")}</td>
              <td className="w-32 truncate">{event.who}</td>
              <td className={GRAVE.includes(event.kind) ? "text-madder" : ""}>
                {GRAVE.includes(event.kind) ? "✕ " : ""}
                {event.words}
                {event.about ? `: ${event.about}` : ""}
              </td>
              <td className="w-36 text-right text-soft">{event.address}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {told?.length === 0 && <p className="mt-2 text-soft">Nothing yet.</p>}
    </section>
  );
}
