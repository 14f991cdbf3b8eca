import { createContext, useContext } from "react";

import type { Run, Strip } from "../api/client";

/** What can be looked at where it arises: the run shown, and the strips its signals can be put into. */
export interface Taps {
  run?: Run;
  strips: Strip[];
  /** Shows a signal in a strip, counted from 0, or in a new one. */
  put: (signal: string, strip: number) => void;
  /** Takes a signal out of a strip. */
  take: (signal: string, strip: number) => void;
}

export const TapsContext = createContext<Taps | undefined>(undefined);

export function useTaps(): Taps | undefined {
  return useContext(TapsContext);
}
