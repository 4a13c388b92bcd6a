/** How much is read of what others made. Sizes in bytes; every one is a key of `limits` in bevelstone.yaml. */
export type LimitsConfig = {
  /** Entries of an archive. */
  readonly entries: number;
  /** All that an archive unpacks to. */
  readonly unpacked: number;
  /** How many times its own size an archive may unpack to, once it is past 64 MiB. */
  readonly ratio: number;
  /** A manifest or another text inside an archive that is read whole. */
  readonly manifest: number;
  /** A lockfile in YAML: a parser that knows places needs 60 times as much memory. */
  readonly yaml: number;
  /** A lockfile in another format. */
  readonly lockfile: number;
  /** An SBOM that is shown, checked or merged. */
  readonly sbom: number;
};

/** Enough for everything that people release; a thousand times what most of it needs. */
export const usualLimits: LimitsConfig = {
  entries: 150_000,
  unpacked: 64 * 2 ** 30,
  // Deflate packs a thousand to one at most, and what people ship a hundred to one at best.
  ratio: 200,
  manifest: 4 << 20,
  yaml: 4 << 20,
  lockfile: 64 << 20,
  sbom: 64 << 20,
};
