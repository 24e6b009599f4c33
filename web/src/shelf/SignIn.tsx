import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { ApiError, post } from "../api/client";
import type { Session } from "../api/queries";
import { Wordmark } from "../parts/Wordmark";

/** unguarded: what the server says where it cannot keep foreign files from all else. */
export function SignIn({ unguarded = "" }: { unguarded?: string }) {
  const client = useQueryClient();
  const [wrong, setWrong] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);

  async function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    setBusy(true);
    setWrong(null);
    try {
      const session = await post<Session>("session", {
        username: form.get("username"),
        password: form.get("password"),
      });
      client.setQueryData(["session"], session);
    } catch (error) {
      setWrong(error instanceof ApiError ? error.message : "Signing in failed.");
    } finally {
      setBusy(false);
    }
  }

  return (
    <main className="grid h-full place-items-center">
      <form
        onSubmit={submit}
        className="w-[360px] border border-ink bg-sheet p-8 shadow-[6px_6px_0_var(--color-shade)]"
      >
        <Wordmark />
        <p className="mt-2 sentence leading-snug! text-soft">From CAD to a mesh you can trust.</p>
        <label className="mt-6 block">
          <span className="caps">Name</span>
          <input
            name="username"
            autoComplete="username"
            required
            className="blank mt-1 block w-full py-1.5!"
          />
        </label>
        <label className="mt-4 block">
          <span className="caps">Password</span>
          <input
            name="password"
            type="password"
            autoComplete="current-password"
            required
            className="blank mt-1 block w-full py-1.5!"
          />
        </label>
        {wrong && (
          <p role="alert" className="mt-4 text-madder">
            ✕ {wrong}
          </p>
        )}
        <button type="submit" className="action mt-6 w-full" disabled={busy}>
          Sign in
        </button>
        {unguarded && (
          <p role="note" className="mt-6 border-ink border-t pt-3 text-madder">
            ⚠ {unguarded}
          </p>
        )}
      </form>
    </main>
  );
}
