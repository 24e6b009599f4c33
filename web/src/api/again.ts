/** Whether a question that failed is asked again. */
import { ApiError } from "./client";

/** Once, where the server was away; what it has refused it refuses again. */
export function again(failures: number, error: Error): boolean {
  const refused = error instanceof ApiError && error.status >= 400 && error.status < 500;
  return failures < 1 && !refused;
}
