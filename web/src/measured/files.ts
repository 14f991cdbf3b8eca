/** A file as the server takes it. */
export interface Encoded {
  name: string;
  data: string;
}

/** Bytes a file may have; more than it may have values are refused by the server. */
const MOST = 48 << 20;

/** One file, or the two of a COMTRADE record as one; or why they cannot be taken, in words. */
export async function encoded(files: File[]): Promise<Encoded | string> {
  const ending = (end: string) => files.find((f) => f.name.toLowerCase().endsWith(end));
  const [configuration, data] = [ending(".cfg"), ending(".dat")];
  let blob: Blob | undefined = files[0];
  let name = files[0]?.name ?? "";
  if (configuration || data) {
    if (!configuration || !data)
      return "A COMTRADE record is in two files; choose the .cfg and the .dat together.";
    // As the standard has both in one file.
    const head = `\r\n--- file type: DAT BINARY: ${data.size} ---\r\n`;
    blob = new Blob(["--- file type: CFG ---\r\n", configuration, head, data]);
    name = configuration.name.replace(/\.cfg$/i, ".cff");
  }
  if (!blob) return "Choose a file.";
  if (blob.size > MOST) return `${name} is larger than 48 MB; export fewer channels or samples.`;
  const bytes = new Uint8Array(await blob.arrayBuffer());
  let text = "";
  for (let k = 0; k < bytes.length; k += 0x8000)
    text += String.fromCharCode(...bytes.subarray(k, k + 0x8000));
  return { name, data: btoa(text) };
}

const PREFIXES: Record<string, number> = {
  k: 1e3,
  M: 1e6,
  m: 1e-3,
  u: 1e-6,
  µ: 1e-6,
  μ: 1e-6,
  n: 1e-9,
  p: 1e-12,
};

/** What a value in a unit is to be multiplied by to be in s, V, A or W. */
export function factorOf(unit: string): number {
  const found = /^([kMmuµμnp])(s|V|A|W)$/.exec(unit);
  return PREFIXES[found?.[1] ?? ""] ?? 1;
}
