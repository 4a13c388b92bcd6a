import { type ConstantPool, readConstantPool } from '../../facts/constant-pool.ts';

/** Access flags that matter here (JVMS tables 4.1-B, 4.5-A, 4.6-A). */
export const access = {
  public: 0x1,
  private: 0x2,
  protected: 0x4,
  static: 0x8,
  final: 0x10,
  bridge: 0x40,
  varargs: 0x80,
  interface: 0x200,
  abstract: 0x400,
  synthetic: 0x1000,
  annotation: 0x2000,
  enum: 0x4000,
} as const;

/** A field or method of a class file. */
export type JvmMember = {
  readonly kind: 'field' | 'method';
  readonly access: number;
  readonly name: string;
  readonly descriptor: string;
  /** With generics (JVMS §4.7.9); null without any. */
  readonly signature: string | null;
  /** A constant that compilers copy; null for none. */
  readonly constant: string | null;
  readonly exceptions: readonly string[];
  /** Whether an element of an annotation has a default. */
  readonly hasDefault: boolean;
};

/** What a class is nested in (JVMS §4.7.6). */
export type JvmNesting = { readonly access: number; readonly outer: string | null };

/** A class file as far as others can refer to it (JVMS 17, chapter 4). Names have `/` between packages. */
export type JvmClass = {
  readonly file: string;
  readonly name: string;
  readonly major: number;
  /** For a nested class, those of its declaration. */
  readonly access: number;
  readonly nesting: JvmNesting | null;
  readonly superName: string | null;
  readonly interfaces: readonly string[];
  readonly signature: string | null;
  readonly members: readonly JvmMember[];
  /** Classes that may extend it; null where it is not sealed. */
  readonly permitted: readonly string[] | null;
  /** What `@Target` and `@Retention` of an annotation name. */
  readonly targets: readonly string[] | null;
  readonly retention: string | null;
  readonly module: JvmModule | null;
  /** Whether the compiler of another language keeps rules of its own about it. */
  readonly language: string | null;
};

/** What module-info.class says (JVMS §4.7.25). */
export type JvmModule = {
  readonly name: string;
  readonly exports: readonly string[];
  readonly opens: readonly string[];
  /** What users of it can read, too. */
  readonly transitive: readonly string[];
};

/** @returns null for bytes that are no class file or one that cannot be read. */
export function readClassFile(bytes: Uint8Array, file: string): JvmClass | null {
  try {
    const buffer = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    if (buffer.length < 10 || buffer.readUInt32BE(0) !== 0xcafebabe) return null;
    const pool = readConstantPool(buffer);
    return pool === null ? null : new ClassReader(buffer, pool).read(file);
  } catch (error) {
    if (error instanceof RangeError) return null;
    throw error;
  }
}

type Attributes = ReadonlyMap<string, { readonly at: number; readonly size: number }>;

class ClassReader {
  readonly #bytes: Buffer;
  readonly #pool: ConstantPool;
  #at: number;

  constructor(bytes: Buffer, pool: ConstantPool) {
    [this.#bytes, this.#pool, this.#at] = [bytes, pool, pool.end];
  }

  read(file: string): JvmClass {
    const own = this.#short();
    const name = this.#pool.name(this.#short()) ?? '';
    const superName = this.#pool.name(this.#short());
    const interfaces = this.#names();
    const members = [...this.#members('field'), ...this.#members('method')];
    const attributes = this.#attributes();
    const nesting = this.#nesting(attributes, name);
    const annotations = this.#annotations(attributes);
    return {
      file,
      name,
      major: this.#bytes.readUInt16BE(6),
      access: nesting?.access ?? own,
      nesting,
      superName,
      interfaces,
      signature: this.#textAt(attributes, 'Signature'),
      members,
      permitted: this.#listAt(attributes, 'PermittedSubclasses'),
      targets: annotations.get('Ljava/lang/annotation/Target;') ?? null,
      retention: annotations.get('Ljava/lang/annotation/Retention;')?.[0] ?? null,
      module: this.#module(attributes),
      language: annotations.has('Lkotlin/Metadata;')
        ? 'Kotlin'
        : annotations.has('Lscala/reflect/ScalaSignature;')
          ? 'Scala'
          : null,
    };
  }

  #short(): number {
    this.#at += 2;
    return this.#bytes.readUInt16BE(this.#at - 2);
  }

  /** A count and as many names of classes, modules or packages. */
  #names(): string[] {
    return Array.from({ length: this.#short() }, () => this.#pool.name(this.#short()) ?? '');
  }

  #members(kind: JvmMember['kind']): JvmMember[] {
    return Array.from({ length: this.#short() }, () => {
      const flags = this.#short();
      const name = this.#pool.text(this.#short());
      const descriptor = this.#pool.text(this.#short());
      const attributes = this.#attributes();
      const constant = attributes.get('ConstantValue');
      return {
        kind,
        access: flags,
        name,
        descriptor,
        signature: this.#textAt(attributes, 'Signature'),
        constant: constant === undefined ? null : this.#pool.value(this.#bytes.readUInt16BE(constant.at)),
        exceptions: this.#listAt(attributes, 'Exceptions') ?? [],
        hasDefault: attributes.has('AnnotationDefault'),
      };
    });
  }

  /** JVMS §4.7: where each attribute's own bytes are. */
  #attributes(): Attributes {
    const found = new Map<string, { at: number; size: number }>();
    for (let left = this.#short(); left > 0; left--) {
      const name = this.#pool.text(this.#short());
      const size = this.#bytes.readUInt32BE(this.#at);
      found.set(name, { at: this.#at + 4, size });
      this.#at += 4 + size;
    }
    return found;
  }

  #textAt(attributes: Attributes, name: string): string | null {
    const found = attributes.get(name);
    return found === undefined ? null : this.#pool.text(this.#bytes.readUInt16BE(found.at));
  }

  #listAt(attributes: Attributes, name: string): string[] | null {
    const found = attributes.get(name);
    return found === undefined ? null : this.#from(found.at, () => this.#names());
  }

  #from<T>(at: number, read: () => T): T {
    const before = this.#at;
    this.#at = at;
    const found = read();
    this.#at = before;
    return found;
  }

  #nesting(attributes: Attributes, own: string): JvmNesting | null {
    const found = attributes.get('InnerClasses');
    if (found === undefined) return null;
    return this.#from(found.at, () => {
      for (let left = this.#short(); left > 0; left--) {
        const [inner, outer] = [this.#pool.name(this.#short()), this.#pool.name(this.#short())];
        const [name, flags] = [this.#short(), this.#short()];
        // A local class has no outer one, and one without a name is anonymous.
        if (inner === own) return { access: flags, outer: name === 0 ? null : outer };
      }
      return null;
    });
  }

  /** JVMS §4.7.16: annotations by type, with the names of constants in their first element. */
  #annotations(attributes: Attributes): Map<string, string[]> {
    const found = new Map<string, string[]>();
    for (const attribute of ['RuntimeVisibleAnnotations', 'RuntimeInvisibleAnnotations']) {
      const place = attributes.get(attribute);
      if (place === undefined) continue;
      this.#from(place.at, () => {
        for (let left = this.#short(); left > 0; left--) {
          const type = this.#pool.text(this.#short());
          const values: string[] = [];
          found.set(type, values);
          for (let pairs = this.#short(); pairs > 0; pairs--) {
            this.#short();
            this.#element(values, 0);
          }
        }
      });
    }
    return found;
  }

  /** JVMS §4.7.16.1. */
  #element(values: string[], depth: number): void {
    if (depth > 16) throw new RangeError('elements nest too deep');
    const tag = String.fromCharCode(this.#bytes.readUInt8(this.#at++));
    if (tag === 'e') {
      this.#short();
      values.push(this.#pool.text(this.#short()));
    } else if (tag === '@') {
      this.#short();
      for (let pairs = this.#short(); pairs > 0; pairs--) {
        this.#short();
        this.#element([], depth + 1);
      }
    } else if (tag === '[') for (let left = this.#short(); left > 0; left--) this.#element(values, depth + 1);
    else this.#short();
  }

  #module(attributes: Attributes): JvmModule | null {
    const found = attributes.get('Module');
    if (found === undefined) return null;
    return this.#from(found.at, () => {
      const name = this.#pool.name(this.#short()) ?? '';
      this.#at += 4;
      const transitive = Array.from({ length: this.#short() }, () => {
        const required = this.#pool.name(this.#short()) ?? '';
        const flags = this.#short();
        this.#short();
        return (flags & 0x20) === 0 ? null : required;
      }).filter((required) => required !== null);
      const unqualified = () =>
        Array.from({ length: this.#short() }, () => {
          const name = this.#pool.name(this.#short()) ?? '';
          this.#short();
          // With a list of modules, it is for those alone.
          return this.#names().length === 0 ? name : null;
        }).filter((name) => name !== null);
      return { name, transitive, exports: unqualified(), opens: unqualified() };
    });
  }
}
