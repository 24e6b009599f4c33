import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { ApiError, post } from "../api/client";
import type { Session } from "../api/queries";
import { Field } from "./Field";

/** A new password for one's account. */
export function Password({ session }: { session: Session }) {
  const client = useQueryClient();
  const [said, setSaid] = useState<{ wrong: boolean; words: string } | null>(null);
  const demo = session.demo && session.username === "demo";

  async function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const at = event.currentTarget;
    const form = new FormData(at);
    if (form.get("new") !== form.get("again")) {
      setSaid({ wrong: true, words: "The two new passwords differ." });
      return;
    }
    try {
      await post("account/password", { old: form.get("old"), new: form.get("new") });
      at.reset();
      setSaid({ wrong: false, words: "Changed. Your other browsers are signed out." });
      client.invalidateQueries({ queryKey: ["account"] });
    } catch (error) {
      const words = error instanceof ApiError ? error.message : "The password was not changed.";
      setSaid({ wrong: true, words });
    }
  }

  return (
    <section aria-labelledby="password">
      <h2 id="password" className="heading text-[19px]">
        Password
      </h2>
      {demo ? (
        <p className="mt-2 text-soft">The demo's password is everybody's, and stays.</p>
      ) : (
        <form onSubmit={submit}>
          <input hidden readOnly autoComplete="username" value={session.username ?? ""} />
          <Field label="Password now" name="old" secret autoComplete="current-password" />
          <Field label="New password" name="new" secret autoComplete="new-password" />
          <Field label="New password again" name="again" secret autoComplete="new-password" />
          <button type="submit" className="action mt-4">
            Change it
          </button>
        </form>
      )}
      {said && (
        <p
          role={said.wrong ? "alert" : "status"}
          className={`mt-3 ${said.wrong ? "text-madder" : ""}`}
        >
          {said.wrong ? "✕ " : "✓ "}
          {said.words}
        </p>
      )}
    </section>
  );
}
