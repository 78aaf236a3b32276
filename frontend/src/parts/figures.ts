/** Bytes as people say them. */
export function bytes(count: number): string {
  if (count < 1024) return `${count} B`;
  if (count < 1024 * 1024) return `${(count / 1024).toFixed(0)} KB`;
  return `${(count / 1024 / 1024).toFixed(2)} MB`;
}

export function decibels(psnr: number | null): string {
  return psnr === null ? "exact" : `${psnr.toFixed(1)} dB`;
}

/** A moment that the server has said, in words; it says them in UTC, with or without its sign. */
export function when(moment: string): string {
  return new Date(`${moment.replace(/(Z|[+-]\d\d:\d\d)$/, "")}Z`).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" });
}
