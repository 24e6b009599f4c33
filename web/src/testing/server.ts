/** A server for tests of components: answers by method and path, and a record of what was asked. */
import { vi } from "vitest";

export interface Asked {
  method: string;
  path: string;
  body: unknown;
  version: string | null;
}

type Answer = unknown | ((body: unknown) => unknown);

/** A refusal with a status and the problem in words. */
export class Refusal {
  readonly status: number;
  readonly problem: Record<string, unknown>;
  constructor(status: number, message: string, more: Record<string, unknown> = {}) {
    this.status = status;
    this.problem = { code: "refused", message, places: [], blank: null, ...more };
  }
}

/** Answers by "METHOD path", with its query or for any; what is not listed is answered with 404. */
export function serving(answers: Record<string, Answer>): Asked[] {
  const asked: Asked[] = [];
  vi.stubGlobal("fetch", async (url: string, init: RequestInit = {}) => {
    const method = init.method ?? "GET";
    const path = url.replace("/api/", "");
    const body = typeof init.body === "string" ? JSON.parse(init.body) : init.body;
    const version = new Headers(init.headers).get("If-Match");
    asked.push({ method, path, body, version });
    const known = answers[`${method} ${path}`] ?? answers[`${method} ${path.split("?")[0]}`];
    const answer = await (typeof known === "function" ? known(body) : known);
    if (answer instanceof Refusal) return Response.json(answer.problem, { status: answer.status });
    if (answer === undefined) return Response.json({ message: "not there" }, { status: 404 });
    return Response.json(answer);
  });
  return asked;
}

/** What was sent by a method to a path. */
export function sent(asked: Asked[], method: string, path: string): unknown[] {
  return asked.filter((a) => a.method === method && a.path === path).map((a) => a.body);
}
