import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { ApiError, get, post, type Shape } from "../api/client";
import type { Session } from "../api/queries";
import { go } from "../parts/route";
import { Wordmark } from "../parts/Wordmark";
import { Field } from "./Field";

/** What an invitation opens: an account, or a new password for one. */
export function Join({ secret }: { secret: string }) {
  const client = useQueryClient();
  const told = useQuery({
    queryKey: ["join", secret],
    queryFn: () => get<Shape<"JoiningShape">>(`join/${secret}`),
    retry: false,
  });
  const [wrong, setWrong] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const shelf = () => go({ study: null, variant: null, stage: "" });

  async function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    if (form.get("password") !== form.get("again")) {
      setWrong("The two passwords differ.");
      return;
    }
    setBusy(true);
    setWrong(null);
    try {
      const session = await post<Session>(`join/${secret}`, {
        username: form.get("username") ?? "",
        password: form.get("password"),
      });
      client.removeQueries({ predicate: (q) => q.queryKey[0] !== "session" });
      client.setQueryData(["session"], session);
      shelf();
    } catch (error) {
      setWrong(error instanceof ApiError ? error.message : "Joining failed.");
    } finally {
      setBusy(false);
    }
  }

  if (told.isPending) return null;
  if (told.isError)
    return (
      <main className="p-10">
        <p role="alert" className="sentence">
          {told.error.message}
        </p>
        <button type="button" className="quiet mt-4" onClick={shelf}>
          Sign in
        </button>
      </main>
    );
  const account = told.data.account;
  return (
    <main className="grid h-full place-items-center">
      <form
        onSubmit={submit}
        className="w-[380px] border border-ink bg-sheet p-8 shadow-[6px_6px_0_var(--color-shade)]"
      >
        <Wordmark />
        <p className="mt-2 sentence leading-snug! text-soft">
          {account
            ? `A new password for ${account}.`
            : `${told.data.by ?? "Whoever keeps the accounts"} invites you. Choose a name and a password.`}
        </p>
        {!account && <Field label="Name" name="username" autoComplete="username" />}
        <Field label="Password" name="password" secret autoComplete="new-password" />
        <Field label="Password again" name="again" secret autoComplete="new-password" />
        <p className="mt-2 text-soft">Ten letters at least, and nothing that many people use.</p>
        {wrong && (
          <p role="alert" className="mt-4 text-madder">
            ✕ {wrong}
          </p>
        )}
        <button type="submit" className="action mt-6 w-full" disabled={busy}>
          {account ? "Set the password" : "Join"}
        </button>
      </form>
    </main>
  );
}
