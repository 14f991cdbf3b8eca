import type { ReactNode } from "react";
import { Link } from "react-router";

/** A page or panel that has nothing to show but a sentence, and what to do next. */
export function Notice({ children }: { children: ReactNode }) {
  return (
    <div role="status" className="flex h-full items-center justify-center p-6 text-center text-muted">
      <div className="max-w-md">{children}</div>
    </div>
  );
}

export function NotHere() {
  return (
    <Notice>
      There is nothing at this address.{" "}
      <Link className="text-copper underline" to="/">
        Open the library
      </Link>
    </Notice>
  );
}
