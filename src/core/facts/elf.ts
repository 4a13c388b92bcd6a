/** What an ELF file says of itself (System V ABI, "Object Files" and "Program Loading and Dynamic Linking"). */
export type ElfFacts = {
  readonly type: 'executable' | 'shared' | 'object' | 'other';
  readonly soname: string | null;
  readonly needed: readonly string[];
  /** DT_RPATH and DT_RUNPATH, each folder by itself. */
  readonly runPaths: readonly string[];
  readonly interpreter: string | null;
  /** Highest version of the C library that a symbol asks for, e.g. `2.34`; null without any. */
  readonly cLibrary: string | null;
  readonly debugSections: readonly string[];
  /** Whether the stack may be executed. */
  readonly hasExecutableStack: boolean;
};

type Section = {
  readonly name: string;
  readonly type: number;
  readonly at: number;
  readonly size: number;
  readonly link: number;
};

/** @returns null for a file that is no ELF file or too broken to tell. */
export function readElf(bytes: Buffer): ElfFacts | null {
  try {
    return bytes.length >= 52 && bytes.readUInt32BE(0) === 0x7f454c46 ? new ElfReader(bytes).read() : null;
  } catch (error) {
    // A number that leads out of the file; what reads it says "cannot be read", nothing crashes.
    if (error instanceof RangeError) return null;
    throw error;
  }
}

/** A name that a shared library offers to others (System V ABI, "Symbol Table"; LSB, "Symbol Versioning"). */
export type ElfSymbol = {
  readonly name: string;
  /** Null where it has none. */
  readonly version: string | null;
  readonly kind: 'function' | 'object' | 'thread-local';
  /** Bytes of an object. */
  readonly sizeBytes: number;
  readonly isWeak: boolean;
};

/** What programs can be linked with. */
export type ElfSymbols = {
  readonly soname: string | null;
  readonly machine: number;
  readonly cLibrary: string | null;
  readonly symbols: readonly ElfSymbol[];
};

/** The dynamic symbols that a file defines; null like `readElf`, and for a file that is no shared library. */
export function readElfSymbols(bytes: Buffer): ElfSymbols | null {
  try {
    if (bytes.length < 52 || bytes.readUInt32BE(0) !== 0x7f454c46) return null;
    const reader = new ElfReader(bytes);
    const { type, soname, cLibrary } = reader.read();
    return type === 'shared' ? { soname, cLibrary, ...reader.symbols() } : null;
  } catch (error) {
    if (error instanceof RangeError) return null;
    throw error;
  }
}

const maxEntries = 65_536;
const maxSymbols = 1_000_000;

const symbolKinds: Readonly<Record<number, ElfSymbol['kind']>> = {
  1: 'object',
  2: 'function',
  5: 'object',
  6: 'thread-local',
  10: 'function',
};

class ElfReader {
  readonly #bytes: Buffer;
  readonly #isWide: boolean;
  readonly #isLittle: boolean;

  constructor(bytes: Buffer) {
    [this.#bytes, this.#isWide, this.#isLittle] = [bytes, bytes[4] === 2, bytes[5] !== 2];
  }

  read(): ElfFacts {
    const sections = this.#sections();
    const dynamic = this.#dynamic(sections);
    const versions = this.#neededVersions(sections).filter((name) => name.startsWith('GLIBC_2.'));
    const kind = this.#half(16);
    return {
      type: kind === 1 ? 'object' : kind === 2 ? 'executable' : kind === 3 ? 'shared' : 'other',
      soname: dynamic.soname[0] ?? null,
      needed: dynamic.needed,
      runPaths: dynamic.runPaths.flatMap((text) => text.split(':')).filter((text) => text !== ''),
      interpreter: this.#interpreter(sections),
      cLibrary:
        versions
          .map((name) => name.slice(6))
          .sort(compareDotted)
          .at(-1) ?? null,
      debugSections: sections.map(({ name }) => name).filter((name) => /^\.z?debug_|^\.stab$/.test(name)),
      hasExecutableStack: this.#hasExecutableStack(),
    };
  }

  /** Defined, not hidden, and not of this file alone. */
  symbols(): { readonly machine: number; readonly symbols: readonly ElfSymbol[] } {
    const sections = this.#sections();
    const machine = this.#half(18);
    const section = sections.find(({ type }) => type === 11);
    if (section === undefined) return { machine, symbols: [] };
    const texts = sections[section.link]?.at ?? 0;
    const versions = sections.find(({ type }) => type === 0x6fffffff);
    const names = this.#definedVersions(sections);
    const step = this.#isWide ? 24 : 16;
    const count = Math.min(maxSymbols, Math.floor(section.size / step));
    const symbols: ElfSymbol[] = [];
    for (let index = 1; index < count; index++) {
      const at = section.at + index * step;
      const info = this.#bytes.readUInt8(at + (this.#isWide ? 4 : 12));
      const other = this.#bytes.readUInt8(at + (this.#isWide ? 5 : 13)) & 3;
      const home = this.#half(at + (this.#isWide ? 6 : 14));
      const kind = symbolKinds[info & 15];
      const binding = info >> 4;
      if (kind === undefined || home === 0 || (other !== 0 && other !== 3) || ![1, 2, 10].includes(binding)) continue;
      const number = versions === undefined ? 0 : this.#half(versions.at + 2 * index) & 0x7fff;
      const sizeBytes = this.#isWide ? this.#long(at + 16) : this.#word(at + 8);
      symbols.push({
        name: this.#text(texts + this.#word(at)),
        version: names.get(number) ?? null,
        kind,
        sizeBytes,
        isWeak: binding === 2,
      });
    }
    return { machine, symbols };
  }

  /** Names in `.gnu.version_d` by number, without that of the file itself (LSB, "Version Definitions"). */
  #definedVersions(sections: readonly Section[]): Map<number, string> {
    const section = sections.find(({ type }) => type === 0x6ffffffd);
    const found = new Map<number, string>();
    if (section === undefined) return found;
    const texts = sections[section.link]?.at ?? 0;
    for (let at = section.at, budget = maxEntries; budget > 0; budget--) {
      const isFile = (this.#half(at + 2) & 1) === 1;
      if (!isFile) found.set(this.#half(at + 4), this.#text(texts + this.#word(at + this.#word(at + 12))));
      const next = this.#word(at + 16);
      if (next === 0) break;
      at += next;
    }
    return found;
  }

  #half(at: number): number {
    return this.#isLittle ? this.#bytes.readUInt16LE(at) : this.#bytes.readUInt16BE(at);
  }

  #word(at: number): number {
    return this.#isLittle ? this.#bytes.readUInt32LE(at) : this.#bytes.readUInt32BE(at);
  }

  /** An address-sized number. */
  #long(at: number): number {
    if (!this.#isWide) return this.#word(at);
    return Number(this.#isLittle ? this.#bytes.readBigUInt64LE(at) : this.#bytes.readBigUInt64BE(at));
  }

  #sections(): Section[] {
    const [at, size, count, names] = this.#isWide
      ? [this.#long(40), this.#half(58), this.#half(60), this.#half(62)]
      : [this.#long(32), this.#half(46), this.#half(48), this.#half(50)];
    if (at === 0 || count === 0) return [];
    const raw = Array.from({ length: count }, (_, index) => {
      const place = at + index * size;
      return this.#isWide
        ? {
            name: this.#word(place),
            type: this.#word(place + 4),
            at: this.#long(place + 24),
            size: this.#long(place + 32),
            link: this.#word(place + 40),
          }
        : {
            name: this.#word(place),
            type: this.#word(place + 4),
            at: this.#long(place + 16),
            size: this.#long(place + 20),
            link: this.#word(place + 24),
          };
    });
    const table = raw[names]?.at ?? 0;
    return raw.map((section) => ({ ...section, name: this.#text(table + section.name) }));
  }

  #dynamic(sections: readonly Section[]): { soname: string[]; needed: string[]; runPaths: string[] } {
    const found = { soname: [] as string[], needed: [] as string[], runPaths: [] as string[] };
    const section = sections.find(({ type }) => type === 6);
    if (section === undefined) return found;
    const texts = sections[section.link]?.at ?? 0;
    const step = this.#isWide ? 16 : 8;
    for (let at = section.at; at < section.at + section.size; at += step) {
      const tag = this.#long(at);
      const value = () => this.#text(texts + this.#long(at + step / 2));
      if (tag === 0) break;
      if (tag === 1) found.needed.push(value());
      if (tag === 14) found.soname.push(value());
      if (tag === 15 || tag === 29) found.runPaths.push(value());
    }
    return found;
  }

  /** Names in `.gnu.version_r` (Linux Standard Base, "Version Requirements"). */
  #neededVersions(sections: readonly Section[]): string[] {
    const section = sections.find(({ type }) => type === 0x6ffffffe);
    if (section === undefined) return [];
    const texts = sections[section.link]?.at ?? 0;
    const names: string[] = [];
    for (let at = section.at, budget = maxEntries; budget > 0; budget--) {
      let inner = at + this.#word(at + 8);
      for (let left = this.#half(at + 2); left > 0 && names.length < maxEntries; left--) {
        names.push(this.#text(texts + this.#word(inner + 8)));
        inner += this.#word(inner + 12);
      }
      const next = this.#word(at + 12);
      if (next === 0) break;
      at += next;
    }
    return names;
  }

  #interpreter(sections: readonly Section[]): string | null {
    const section = sections.find(({ name }) => name === '.interp');
    return section === undefined ? null : this.#text(section.at);
  }

  /** PT_GNU_STACK with the execute flag (Linux Standard Base, "Program Header"). */
  #hasExecutableStack(): boolean {
    const [at, size, count] = this.#isWide
      ? [this.#long(32), this.#half(54), this.#half(56)]
      : [this.#long(28), this.#half(42), this.#half(44)];
    return Array.from({ length: count }, (_, index) => at + index * size).some(
      (place) => this.#word(place) === 0x6474e551 && (this.#word(place + (this.#isWide ? 4 : 24)) & 1) === 1,
    );
  }

  #text(at: number): string {
    const end = this.#bytes.indexOf(0, at);
    if (at > this.#bytes.length || end === -1 || end - at > 4096) return '';
    return this.#bytes.toString('latin1', at, end);
  }
}

/** Order of texts like `2.9` and `2.34`, number by number. */
export function compareDotted(a: string, b: string): number {
  const [left, right] = [a.split('.').map(Number), b.split('.').map(Number)];
  for (let at = 0; at < Math.max(left.length, right.length); at++) {
    const difference = (left[at] ?? 0) - (right[at] ?? 0);
    if (difference !== 0) return difference;
  }
  return 0;
}
