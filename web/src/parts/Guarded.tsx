import type { ReactNode } from "react";
import { ErrorBoundary } from "react-error-boundary";

/**
 * A part of the page that, when it fails, says so in its own place and leaves the rest working. It
 * is drawn again when one of `again` changes, or on request.
 */
export function Guarded({
  name,
  again,
  children,
}: {
  name: string;
  again: unknown[];
  children: ReactNode;
}) {
  return (
    <ErrorBoundary
      resetKeys={again}
      fallbackRender={({ error, resetErrorBoundary }) => (
        <div role="alert" className="min-h-0 overflow-auto border border-madder bg-sheet p-3">
          <p className="text-madder">✕ {name} could not be drawn.</p>
          <p className="mt-1 text-soft">
            Nothing was lost; everything else works on.{" "}
            {error instanceof Error ? error.message : String(error)}
          </p>
          <button type="button" className="quiet mt-2" onClick={resetErrorBoundary}>
            Draw it again
          </button>
        </div>
      )}
    >
      {children}
    </ErrorBoundary>
  );
}
