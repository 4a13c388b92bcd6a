// The tables of an assembly (ECMA-335, 6th edition, partition II, chapters 22 and 24).

/** A column: bytes of a number, `S` text, `B` bytes, `G` an identifier, a table, or one of several tables. */
type Column = 1 | 2 | 4 | 'S' | 'B' | 'G' | `t${number}` | keyof typeof coded;

// II.24.2.6: which tables an index may lead to, by its lowest bits; -1 for none.
const coded = {
  typeDefOrRef: [2, 1, 27],
  hasConstant: [4, 8, 23],
  hasCustomAttribute: [6, 4, 1, 2, 8, 9, 10, 0, 14, 23, 20, 17, 26, 27, 32, 35, 38, 39, 40, 42, 44, 43],
  hasFieldMarshal: [4, 8],
  hasDeclSecurity: [2, 6, 32],
  memberRefParent: [2, 1, 26, 6, 27],
  hasSemantics: [20, 23],
  methodDefOrRef: [6, 10],
  memberForwarded: [4, 6],
  implementation: [38, 35, 39],
  customAttributeType: [-1, -1, 6, 10, -1],
  resolutionScope: [0, 26, 35, 1],
  typeOrMethodDef: [2, 6],
} as const satisfies Record<string, readonly number[]>;

/** Tables by number, as II.22 lists them. */
export const table = {
  typeRef: 1,
  typeDef: 2,
  field: 4,
  methodDef: 6,
  param: 8,
  interfaceImpl: 9,
  memberRef: 10,
  constant: 11,
  customAttribute: 12,
  eventMap: 18,
  event: 20,
  propertyMap: 21,
  property: 23,
  methodSemantics: 24,
  typeSpec: 27,
  assembly: 32,
  exportedType: 39,
  nestedClass: 41,
  genericParam: 42,
  genericParamConstraint: 44,
} as const;

const columns: Readonly<Record<number, readonly Column[]>> = {
  0: [2, 'S', 'G', 'G', 'G'],
  1: ['resolutionScope', 'S', 'S'],
  2: [4, 'S', 'S', 'typeDefOrRef', 't4', 't6'],
  3: ['t4'],
  4: [2, 'S', 'B'],
  5: ['t6'],
  6: [4, 2, 2, 'S', 'B', 't8'],
  7: ['t8'],
  8: [2, 2, 'S'],
  9: ['t2', 'typeDefOrRef'],
  10: ['memberRefParent', 'S', 'B'],
  11: [2, 'hasConstant', 'B'],
  12: ['hasCustomAttribute', 'customAttributeType', 'B'],
  13: ['hasFieldMarshal', 'B'],
  14: [2, 'hasDeclSecurity', 'B'],
  15: [2, 4, 't2'],
  16: [4, 't4'],
  17: ['B'],
  18: ['t2', 't20'],
  19: ['t20'],
  20: [2, 'S', 'typeDefOrRef'],
  21: ['t2', 't23'],
  22: ['t23'],
  23: [2, 'S', 'B'],
  24: [2, 't6', 'hasSemantics'],
  25: ['t2', 'methodDefOrRef', 'methodDefOrRef'],
  26: ['S'],
  27: ['B'],
  28: [2, 'memberForwarded', 'S', 't26'],
  29: [4, 't4'],
  30: [4, 4],
  31: [4],
  32: [4, 2, 2, 2, 2, 4, 'B', 'S', 'S'],
  33: [4],
  34: [4, 4, 4],
  35: [2, 2, 2, 2, 4, 'B', 'S', 'S', 'B'],
  36: [4, 't35'],
  37: [4, 4, 4, 't35'],
  38: [4, 'S', 'B'],
  39: [4, 4, 'S', 'S', 'implementation'],
  40: [4, 4, 'S', 'implementation'],
  41: ['t2', 't2'],
  42: [2, 2, 'typeOrMethodDef', 'S'],
  43: ['methodDefOrRef', 'B'],
  44: ['t42', 'typeDefOrRef'],
};

/** A row of another table; `row` counts from 1, 0 for none. */
export type Reference = { readonly table: number; readonly row: number };

type Layout = {
  readonly at: number;
  readonly size: number;
  readonly offsets: readonly number[];
  readonly count: number;
};

/** The metadata of an assembly. Rows count from 1. */
export class Metadata {
  readonly #bytes: Buffer;
  readonly #heaps: Readonly<Record<'S' | 'B' | 'G', { readonly at: number; readonly wide: boolean }>>;
  readonly #counts: readonly number[];
  readonly #layouts: readonly (Layout | undefined)[];

  /** @throws RangeError for bytes that are no assembly or end too early. */
  constructor(bytes: Buffer) {
    this.#bytes = bytes;
    const root = metadataRoot(bytes);
    const streams = streamsOf(bytes, root);
    const start = streams.get('#~') ?? fail('no tables');
    const sizes = bytes.readUInt8(start + 6);
    const heap = (name: string, bit: number) => ({ at: streams.get(name) ?? 0, wide: (sizes & bit) !== 0 });
    this.#heaps = { S: heap('#Strings', 1), G: heap('#GUID', 2), B: heap('#Blob', 4) };
    const valid = bytes.readBigUInt64LE(start + 8);
    let at = start + 24;
    this.#counts = Array.from({ length: 64 }, (_, index) => {
      if ((valid & (1n << BigInt(index))) === 0n) return 0;
      at += 4;
      return bytes.readUInt32LE(at - 4);
    });
    this.#layouts = Array.from({ length: 64 }, (_, index) => {
      const count = this.#counts[index] ?? 0;
      if (count === 0) return undefined;
      const widths = (columns[index] ?? fail(`table ${index} is not known`)).map((column) => this.#width(column));
      const offsets = widths.map((_, position) => sum(widths.slice(0, position)));
      const layout = { at, size: sum(widths), offsets, count };
      at += layout.size * count;
      if (at > bytes.length) fail('a table ends outside');
      return layout;
    });
  }

  /** How many rows a table has. */
  count(index: number): number {
    return this.#counts[index] ?? 0;
  }

  /** A number, or the row of the one table that a column leads to. */
  number(index: number, row: number, column: number): number {
    const { at, width } = this.#cell(index, row, column);
    return this.#bytes.readUIntLE(at, width);
  }

  text(index: number, row: number, column: number): string {
    const at = this.#heaps.S.at + this.number(index, row, column);
    const end = this.#bytes.indexOf(0, at);
    return end === -1 ? '' : this.#bytes.toString('utf8', at, Math.min(end, at + 4096));
  }

  /** II.24.2.4: bytes with their length in front. */
  blob(index: number, row: number, column: number): Buffer {
    const reader = new BlobReader(this.#bytes, this.#heaps.B.at + this.number(index, row, column));
    const length = reader.compressed();
    return this.#bytes.subarray(reader.at, reader.at + length);
  }

  reference(index: number, row: number, column: number): Reference {
    return decode(this.number(index, row, column), columns[index]?.[column] as keyof typeof coded);
  }

  /** Rows of a list: from this row's column to the next row's. */
  list(index: number, row: number, column: number): readonly number[] {
    const target = Number(String(columns[index]?.[column]).slice(1));
    const from = this.number(index, row, column);
    const end = row < this.count(index) ? this.number(index, row + 1, column) : this.count(target) + 1;
    return Array.from(
      { length: Math.max(0, Math.min(end, this.count(target) + 1) - from) },
      (_, position) => from + position,
    );
  }

  #cell(index: number, row: number, column: number): { readonly at: number; readonly width: number } {
    const layout = this.#layouts[index];
    if (layout === undefined || row < 1 || row > layout.count) return fail('no such row');
    const offset = layout.offsets[column] ?? fail('no such column');
    const next = layout.offsets[column + 1] ?? layout.size;
    return { at: layout.at + (row - 1) * layout.size + offset, width: next - offset };
  }

  #width(column: Column): number {
    if (typeof column === 'number') return column;
    if (column === 'S' || column === 'B' || column === 'G') return this.#heaps[column].wide ? 4 : 2;
    if (/^t\d+$/.test(column)) return (this.#counts[Number(column.slice(1))] ?? 0) > 0xffff ? 4 : 2;
    const tables = coded[column as keyof typeof coded];
    const most = tables.reduce((count: number, one) => Math.max(count, one === -1 ? 0 : (this.#counts[one] ?? 0)), 0);
    return most >= 2 ** (16 - tagBits(tables)) ? 4 : 2;
  }
}

/** An index of several tables, as signatures have it compressed. */
export function decode(value: number, kind: keyof typeof coded): Reference {
  const tables = coded[kind];
  const bits = tagBits(tables);
  return { table: tables[value & (2 ** bits - 1)] ?? -1, row: Math.floor(value / 2 ** bits) };
}

const tagBits = (tables: readonly number[]) => Math.ceil(Math.log2(tables.length));
const sum = (list: readonly number[]) => list.reduce((total, one) => total + one, 0);

function fail(why: string): never {
  throw new RangeError(why);
}

/** Numbers of a blob (II.23.2). */
export class BlobReader {
  readonly #bytes: Buffer;
  at: number;

  constructor(bytes: Buffer, at = 0) {
    [this.#bytes, this.at] = [bytes, at];
  }

  get isAtEnd(): boolean {
    return this.at >= this.#bytes.length;
  }

  byte(): number {
    return this.#bytes.readUInt8(this.at++);
  }

  peek(): number {
    return this.#bytes.readUInt8(this.at);
  }

  compressed(): number {
    const first = this.byte();
    if ((first & 0x80) === 0) return first;
    if ((first & 0x40) === 0) return ((first & 0x3f) << 8) | this.byte();
    return ((first & 0x1f) << 24) | (this.byte() << 16) | (this.byte() << 8) | this.byte();
  }
}

/** II.25: from the header of the file to the metadata. */
function metadataRoot(bytes: Buffer): number {
  if (bytes.length < 64 || bytes.readUInt16LE(0) !== 0x5a4d) fail('no MZ');
  const coff = bytes.readUInt32LE(0x3c) + 4;
  if (bytes.readUInt32LE(coff - 4) !== 0x4550) fail('no PE');
  const optional = coff + 20;
  const isWide = bytes.readUInt16LE(optional) === 0x20b;
  const directory = optional + (isWide ? 112 : 96) + 14 * 8;
  const sections = optional + bytes.readUInt16LE(coff + 16);
  const count = bytes.readUInt16LE(coff + 2);
  const offsetOf = (address: number) => {
    for (let index = 0; index < count; index++) {
      const at = sections + index * 40;
      const [size, start] = [bytes.readUInt32LE(at + 8), bytes.readUInt32LE(at + 12)];
      const raw = bytes.readUInt32LE(at + 16);
      if (address >= start && address < start + Math.max(size, raw))
        return address - start + bytes.readUInt32LE(at + 20);
    }
    return fail('an address outside of all sections');
  };
  const header = bytes.readUInt32LE(directory);
  if (header === 0) fail('no CLI header');
  return offsetOf(bytes.readUInt32LE(offsetOf(header) + 8));
}

/** II.24.2.1 and II.24.2.2. */
function streamsOf(bytes: Buffer, root: number): Map<string, number> {
  if (bytes.readUInt32LE(root) !== 0x424a5342) fail('no metadata');
  let at = root + 16 + bytes.readUInt32LE(root + 12);
  const found = new Map<string, number>();
  const count = bytes.readUInt16LE(at + 2);
  at += 4;
  for (let index = 0; index < count; index++) {
    const end = bytes.indexOf(0, at + 8);
    const name = bytes.toString('latin1', at + 8, end);
    if (end === -1 || name.length > 32) fail('a stream without a name');
    found.set(name, root + bytes.readUInt32LE(at));
    at += 8 + Math.ceil((name.length + 1) / 4) * 4;
  }
  return found;
}
