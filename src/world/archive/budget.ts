import { formatBytes } from '../../core/text/bytes.ts';
import { type LimitsConfig, usualLimits } from '../../core/text/limits.ts';
import { tooLarge } from './read-errors.ts';

/** What a reader may spend on one archive, so that no archive can make it hang or eat all memory. */
export type ReadLimits = {
  readonly entries: number;
  readonly unpackedBytes: number;
  /** How many times its own size an archive may unpack to, once it is past `freeBytes`. */
  readonly ratio: number;
  readonly freeBytes: number;
  /** A zip's directory is read whole. */
  readonly directoryBytes: number;
  readonly keptBytes: number;
  readonly keptTotalBytes: number;
};

/** Limits for archives from anywhere. */
export const ordinaryLimits: ReadLimits = readLimits(usualLimits);

function readLimits({ entries, unpacked, ratio, manifest }: LimitsConfig): ReadLimits {
  return {
    entries,
    unpackedBytes: unpacked,
    ratio,
    freeBytes: 64 << 20,
    directoryBytes: Math.max(64 << 20, entries * 400),
    keptBytes: manifest,
    keptTotalBytes: Math.max(64 << 20, manifest * 2),
  };
}

let inForce: { readonly config: LimitsConfig; readonly read: ReadLimits } = {
  config: usualLimits,
  read: ordinaryLimits,
};

/** From now on this program reads as much as the configuration of its workspace says: a run has one. */
export function putLimitsInForce(config: LimitsConfig): void {
  inForce = { config, read: readLimits(config) };
}

/** What the configuration says. */
export function limitsInForce(): LimitsConfig {
  return inForce.config;
}

/** The same for archives. */
export function readLimitsInForce(): ReadLimits {
  return inForce.read;
}

/** Counts what an archive costs and stops when it is too much. */
export class ArchiveBudget {
  readonly #file: string;
  readonly #most: number;
  readonly #limits: ReadLimits;
  readonly #atEnd: (() => void)[] = [];
  #isEnded = false;
  #entries = 0;
  #unpacked = 0;
  #kept = 0;

  constructor(file: string, packedBytes: number, limits: ReadLimits) {
    [this.#file, this.#limits] = [file, limits];
    this.#most = Math.min(limits.unpackedBytes, Math.max(limits.freeBytes, packedBytes * limits.ratio));
  }

  /** Has something done when reading ends, however it ends: a thread that goes on would keep the program alive. */
  atEnd(work: () => void): void {
    if (this.#isEnded) work();
    else this.#atEnd.push(work);
  }

  end(): void {
    this.#isEnded = true;
    for (const work of this.#atEnd.splice(0)) work();
  }

  /** @throws ARCHIVE_TOO_LARGE */
  entry(): void {
    this.refuseCount(++this.#entries);
  }

  /** @throws ARCHIVE_TOO_LARGE when so many entries would be too many. */
  refuseCount(count: number): void {
    if (count > this.#limits.entries)
      throw tooLarge(this.#file, `it has more than ${this.#limits.entries} entries`, 'entries');
  }

  /** @throws ARCHIVE_TOO_LARGE when a directory of so many bytes is too large to be read whole. */
  refuseDirectory(bytes: number): void {
    if (bytes > this.#limits.directoryBytes)
      throw tooLarge(this.#file, `its directory has more than ${formatBytes(this.#limits.directoryBytes)}`, 'entries');
  }

  /** @throws ARCHIVE_TOO_LARGE */
  unpacked(bytes: number): void {
    this.#unpacked += bytes;
    this.refuseSize(this.#unpacked);
  }

  /** @throws ARCHIVE_TOO_LARGE when so much more, which a header declares, would be too much. */
  refuseMore(bytes: number): void {
    this.refuseSize(this.#unpacked + bytes);
  }

  /** @throws ARCHIVE_TOO_LARGE when all of it would be too much. */
  refuseSize(bytes: number): void {
    if (bytes <= this.#most) return;
    const key = this.#most === this.#limits.unpackedBytes ? 'unpacked' : 'ratio';
    throw tooLarge(this.#file, `it unpacks to more than ${formatBytes(this.#most)}`, key);
  }

  /** Whether this much may be kept in memory besides what is kept already. */
  keeps(bytes: number): boolean {
    if (bytes > this.#limits.keptBytes || this.#kept + bytes > this.#limits.keptTotalBytes) return false;
    this.#kept += bytes;
    return true;
  }
}
