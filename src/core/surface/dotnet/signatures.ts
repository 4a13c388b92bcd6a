import { BlobReader, decode, type Metadata, type Reference, table } from './metadata.ts';

/** What has been found on the way into a signature. */
type Scope = { readonly required: string[]; readonly depth: number };

/** A signature of a method (II.23.2.1). */
export type MethodSignature = {
  readonly result: string;
  readonly parameters: readonly string[];
  /** Names of types that callers must know (II.23.2.7), such as that of setters for new objects only. */
  readonly required: readonly string[];
};

// II.23.1.16; as C# writes them.
const plain: Readonly<Record<number, string>> = {
  1: 'void',
  2: 'bool',
  3: 'char',
  4: 'sbyte',
  5: 'byte',
  6: 'short',
  7: 'ushort',
  8: 'int',
  9: 'uint',
  10: 'long',
  11: 'ulong',
  12: 'float',
  13: 'double',
  14: 'string',
  22: 'TypedReference',
  24: 'nint',
  25: 'nuint',
  28: 'object',
};

const maxDepth = 64;

/** Reads signatures of an assembly: `!0` is the first type parameter of the type around, `!!0` of the method. @throws RangeError for one that is broken. */
export class Signatures {
  readonly #metadata: Metadata;

  constructor(metadata: Metadata) {
    this.#metadata = metadata;
  }

  method(blob: Buffer): MethodSignature {
    const reader = new BlobReader(blob);
    const kind = reader.byte();
    // How many type parameters it has, which the tables say, too.
    if ((kind & 0x10) !== 0) reader.compressed();
    const count = reader.compressed();
    const required: string[] = [];
    const read = () => this.#type(reader, { required, depth: 0 });
    const result = read();
    const parameters: string[] = [];
    while (parameters.length < count) parameters.push(read());
    return { result, parameters, required };
  }

  /** II.23.2.4. */
  field(blob: Buffer): string {
    const reader = new BlobReader(blob);
    reader.byte();
    return this.#type(reader, { required: [], depth: 0 });
  }

  /** Full name of a type that a table holds; nested ones with `+`. */
  name(reference: Reference, depth = 0): string {
    if (depth > maxDepth) throw new RangeError('types nest too deep');
    const { table: index, row } = reference;
    if (row === 0) return '';
    if (index === table.typeSpec)
      return this.#type(new BlobReader(this.#metadata.blob(index, row, 0)), { required: [], depth });
    const [name, space] = [this.#metadata.text(index, row, 1), this.#metadata.text(index, row, 2)];
    const outer = index === table.typeRef ? this.#metadata.reference(index, row, 0) : this.#outer(row);
    if (outer?.table === index && outer.row !== row) return `${this.name(outer, depth + 1)}+${name}`;
    return space === '' ? name : `${space}.${name}`;
  }

  readonly #nested = new Map<number, number>();

  #outer(row: number): Reference | null {
    if (this.#nested.size === 0)
      for (let index = 1; index <= this.#metadata.count(table.nestedClass); index++)
        this.#nested.set(
          this.#metadata.number(table.nestedClass, index, 0),
          this.#metadata.number(table.nestedClass, index, 1),
        );
    const outer = this.#nested.get(row);
    return outer === undefined ? null : { table: table.typeDef, row: outer };
  }

  #type(reader: BlobReader, scope: Scope): string {
    if (scope.depth > maxDepth) throw new RangeError('types nest too deep');
    const inner = { ...scope, depth: scope.depth + 1 };
    const kind = reader.byte();
    const found = plain[kind];
    if (found !== undefined) return found;
    const named = () => shortName(this.name(decode(reader.compressed(), 'typeDefOrRef'), inner.depth));
    switch (kind) {
      case 0x0f:
        return `${this.#type(reader, inner)}*`;
      case 0x10:
        return `ref ${this.#type(reader, inner)}`;
      case 0x11:
      case 0x12:
        return named();
      case 0x13:
        return `!${reader.compressed()}`;
      case 0x1e:
        return `!!${reader.compressed()}`;
      case 0x14:
        return this.#array(reader, inner);
      case 0x15: {
        reader.byte();
        const name = named();
        const count = reader.compressed();
        const types: string[] = [];
        while (types.length < count) types.push(this.#type(reader, inner));
        return name === 'System.Nullable' ? `${types[0]}?` : `${name}<${types.join(', ')}>`;
      }
      case 0x1b: {
        const signature = this.#functionPointer(reader, inner);
        return `delegate*<${signature}>`;
      }
      case 0x1d:
        return `${this.#type(reader, inner)}[]`;
      case 0x1f:
      case 0x20: {
        const modifier = named();
        if (kind === 0x1f) scope.required.push(modifier);
        return this.#type(reader, inner);
      }
      case 0x41:
      case 0x45:
        return this.#type(reader, inner);
      default:
        throw new RangeError('not a type');
    }
  }

  /** II.23.2.13. */
  #array(reader: BlobReader, scope: Scope): string {
    const type = this.#type(reader, scope);
    const rank = reader.compressed();
    for (let list = 0; list < 2; list++) for (let left = reader.compressed(); left > 0; left--) reader.compressed();
    if (rank > 32) throw new RangeError('too many dimensions');
    return `${type}[${','.repeat(Math.max(0, rank - 1))}]`;
  }

  #functionPointer(reader: BlobReader, scope: Scope): string {
    reader.byte();
    const count = reader.compressed();
    const types: string[] = [];
    while (types.length <= count) types.push(this.#type(reader, scope));
    return types.join(', ');
  }
}

/** A name as C# writes it: without the number of type parameters, nested ones with a dot. */
export function shortName(name: string): string {
  return name.replace(/`\d+/g, '').replaceAll('+', '.');
}
