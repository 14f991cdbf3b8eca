import { useState } from "react";

/** A choice of this user's that is there again after a reload. */
export function useKept<T>(name: string, usual: T): [T, (value: T) => void] {
  const [value, setValue] = useState<T>(() => {
    try {
      const text = localStorage.getItem(name);
      return text === null ? usual : (JSON.parse(text) as T);
    } catch {
      return usual;
    }
  });
  const keep = (next: T) => {
    setValue(next);
    try {
      localStorage.setItem(name, JSON.stringify(next));
    } catch {
      // Where nothing can be kept the choice lasts as long as the page.
    }
  };
  return [value, keep];
}
