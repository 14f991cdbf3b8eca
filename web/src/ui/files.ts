/** Longest name of a file, without its ending; more is cut by some systems. */
const LONGEST = 120;

/** The name of a file out of words: what some system takes for more than a name is left out. */
export function fileName(words: (string | 0 | undefined | false)[], ending: string): string {
  const plain = words
    .filter(Boolean)
    .join(", ")
    .replaceAll(/[\p{Cc}\\/:*?"<>|]+/gu, " ")
    .replaceAll(/\s+/g, " ")
    .trim()
    .replace(/^\.+/, "");
  return `${[...plain].slice(0, LONGEST).join("").trim() || "supply"}.${ending}`;
}

/** Lets the user save something under a name. */
export function saveAs(name: string, content: Blob) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(content);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}
