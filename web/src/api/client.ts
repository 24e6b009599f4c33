/** Talking to the API: JSON with the session's token, binary as packed arrays. */
import { type Packed, unpack } from "./packed";
import type { components } from "./schema";

export type Shape<K extends keyof components["schemas"]> = components["schemas"][K];
export type Job = Required<Shape<"JobShape">>;
export type Study = Shape<"StudyShape">;
export type Lists = Shape<"ListsShape">;
export type Metric = Shape<"MetricShape">;
export type StageDescription = Shape<"StageShape">;
export type OperationDescription = Shape<"OperationShape">;
export type Sentence = Shape<"SentenceShape">;
export type BlankDescription = Shape<"BlankShape">;
export type Problem = Shape<"ProblemShape">;

export class ApiError extends Error {
  readonly problem: Problem;
  readonly status: number;
  constructor(status: number, problem: Problem) {
    super(problem.message);
    this.status = status;
    this.problem = problem;
  }
}

function token(): string {
  return /(?:^|; )csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? "";
}

async function failure(response: Response): Promise<ApiError> {
  let problem: Problem = {
    code: "network",
    message: `The server answered ${response.status}. Try again.`,
    places: [],
    blank: null,
  };
  try {
    problem = { ...problem, ...(await response.json()) };
  } catch {
    // the body was no JSON: keep the plain words
  }
  return new ApiError(response.status, problem);
}

async function send(
  method: string,
  path: string,
  body?: unknown,
  version?: number,
): Promise<Response> {
  const headers: Record<string, string> = { "X-CSRFToken": token() };
  if (version !== undefined) headers["If-Match"] = `"${version}"`;
  let data: BodyInit | undefined;
  if (body instanceof FormData) data = body;
  else if (body !== undefined) {
    headers["Content-Type"] = "application/json";
    data = JSON.stringify(body);
  }
  let response: Response;
  try {
    response = await fetch(`/api/${path}`, { method, headers, body: data });
  } catch {
    throw new ApiError(0, {
      code: "offline",
      message: "The server cannot be reached. Check that it is running, then try again.",
      places: [],
      blank: null,
    });
  }
  if (!response.ok) throw await failure(response);
  return response;
}

export async function get<T>(path: string): Promise<T> {
  return (await send("GET", path)).json();
}

/** version: what it is made from; the server refuses it where there is a later one. */
export async function post<T>(path: string, body?: unknown, version?: number): Promise<T> {
  return (await send("POST", path, body, version)).json();
}

export async function patch<T>(path: string, body: unknown, version?: number): Promise<T> {
  return (await send("PATCH", path, body, version)).json();
}

export async function remove<T>(path: string): Promise<T> {
  const answer = await send("DELETE", path);
  return answer.status === 204 ? (undefined as T) : answer.json();
}

export async function binary(path: string, signal?: AbortSignal): Promise<Packed> {
  const response = await fetch(`/api/${path}`, { signal });
  if (!response.ok) throw await failure(response);
  return unpack(await response.arrayBuffer());
}
