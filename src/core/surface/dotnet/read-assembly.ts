import { Metadata, type Reference, table } from './metadata.ts';
import { type MethodSignature, Signatures } from './signatures.ts';

/** Who can use something: all, or those who derive a class as well. */
export type DotnetAccess = 'public' | 'protected';

/** A parameter of a method. */
export type DotnetParameter = {
  readonly name: string;
  readonly type: string;
  readonly isOptional: boolean;
  /** Bytes of the default in hexadecimal; null where it has none. */
  readonly default: string | null;
  readonly isList: boolean;
};

/** A parameter of a generic type or method. */
export type DotnetTypeParameter = {
  readonly name: string;
  readonly flags: number;
  readonly constraints: readonly string[];
};

/** A member that users can name. */
export type DotnetMember = {
  readonly kind: 'field' | 'method' | 'constructor' | 'property' | 'event';
  readonly name: string;
  readonly access: DotnetAccess;
  readonly isStatic: boolean;
  readonly isAbstract: boolean;
  readonly isVirtual: boolean;
  readonly isFinal: boolean;
  /** Type, or type of the result. */
  readonly type: string;
  readonly parameters: readonly DotnetParameter[];
  readonly typeParameters: readonly DotnetTypeParameter[];
  /** Of a field: whether compilers copy its value, and that value. */
  readonly constant: string | null;
  readonly isReadOnly: boolean;
  readonly isRequired: boolean;
  readonly getter: DotnetAccess | null;
  readonly setter: DotnetAccess | null;
  /** Whether it can be set only where an object is made. */
  readonly isInitOnly: boolean;
};

/** A type that users can name. */
export type DotnetType = {
  /** With the number of type parameters; nested ones with `+`. */
  readonly name: string;
  readonly space: string;
  readonly kind: 'class' | 'interface' | 'struct' | 'enum' | 'delegate';
  readonly access: DotnetAccess;
  readonly isAbstract: boolean;
  readonly isSealed: boolean;
  readonly base: string | null;
  readonly interfaces: readonly string[];
  readonly typeParameters: readonly DotnetTypeParameter[];
  readonly members: readonly DotnetMember[];
  readonly assembly: string;
};

/** An assembly as others see it. */
export type DotnetAssembly = {
  readonly name: string;
  /** Key of its strong name in hexadecimal; '' without one. */
  readonly publicKey: string;
  readonly types: readonly DotnetType[];
  /** Types that it passes on from other assemblies. */
  readonly forwarded: readonly string[];
};

/** @returns null for a file that is no assembly, or one that cannot be read. */
export function readAssembly(bytes: Uint8Array): DotnetAssembly | null {
  try {
    return new AssemblyReader(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)).read();
  } catch (error) {
    if (error instanceof RangeError) return null;
    throw error;
  }
}

/** Rows of the properties and events of each type, and of their accessors by what they do (II.22.28). */
type Lists = {
  readonly properties: ReadonlyMap<number, readonly number[]>;
  readonly events: ReadonlyMap<number, readonly number[]>;
  readonly accessors: ReadonlyMap<string, ReadonlyMap<number, number>>;
};

/** What the accessors of a property or event are read with. */
type AccessorScope = {
  readonly accessors: Lists['accessors'];
  /** Methods that are not listed by themselves. */
  readonly hidden: Set<number>;
};

class AssemblyReader {
  readonly #metadata: Metadata;
  readonly #signatures: Signatures;
  /** Names of attributes by what they stand at: `table:row`. */
  readonly #attributes = new Map<string, string[]>();
  readonly #constants = new Map<string, string>();
  readonly #typeParameters = new Map<string, DotnetTypeParameter[]>();

  constructor(bytes: Buffer) {
    this.#metadata = new Metadata(bytes);
    this.#signatures = new Signatures(this.#metadata);
  }

  read(): DotnetAssembly {
    const metadata = this.#metadata;
    this.#readAttributes();
    this.#readConstants();
    this.#readTypeParameters();
    const name = metadata.count(table.assembly) === 0 ? '' : metadata.text(table.assembly, 1, 7);
    const visible = this.#visible();
    const lists = this.#lists();
    const types = [...visible].flatMap(([row, access]) => this.#type(row, { access, lists, assembly: name }));
    const forwarded = rows(metadata, table.exportedType)
      .filter((row) => (metadata.number(table.exportedType, row, 0) & 0x200000) !== 0)
      .map((row) => joined(metadata.text(table.exportedType, row, 3), metadata.text(table.exportedType, row, 2)));
    const key = metadata.count(table.assembly) === 0 ? '' : metadata.blob(table.assembly, 1, 6).toString('hex');
    return { name, publicKey: key, types, forwarded };
  }

  #readAttributes(): void {
    const metadata = this.#metadata;
    for (const row of rows(metadata, table.customAttribute)) {
      const parent = metadata.reference(table.customAttribute, row, 0);
      const made = metadata.reference(table.customAttribute, row, 1);
      // The constructor is of this assembly, or of another one.
      const type = made.table === table.memberRef ? metadata.reference(table.memberRef, made.row, 0) : null;
      const isRead = type !== null && (type.table === table.typeRef || type.table === table.typeDef);
      if (isRead) push(this.#attributes, keyOf(parent), this.#signatures.name(type));
    }
  }

  #has(reference: Reference, attribute: string): boolean {
    return this.#attributes.get(keyOf(reference))?.includes(attribute) === true;
  }

  #readConstants(): void {
    for (const row of rows(this.#metadata, table.constant)) {
      const type = this.#metadata.number(table.constant, row, 0);
      const value = this.#metadata.blob(table.constant, row, 2).toString('hex');
      this.#constants.set(keyOf(this.#metadata.reference(table.constant, row, 1)), `${type}:${value}`);
    }
  }

  #readTypeParameters(): void {
    const metadata = this.#metadata;
    const constraints = new Map<number, string[]>();
    for (const row of rows(metadata, table.genericParamConstraint)) {
      const parameter = metadata.number(table.genericParamConstraint, row, 0);
      const found = this.#signatures.name(metadata.reference(table.genericParamConstraint, row, 1));
      constraints.set(parameter, [...(constraints.get(parameter) ?? []), found]);
    }
    for (const row of rows(metadata, table.genericParam)) {
      const owner = keyOf(metadata.reference(table.genericParam, row, 2));
      const list = this.#typeParameters.get(owner) ?? [];
      list[metadata.number(table.genericParam, row, 0)] = {
        name: metadata.text(table.genericParam, row, 3),
        flags: metadata.number(table.genericParam, row, 1),
        constraints: (constraints.get(row) ?? []).sort(),
      };
      this.#typeParameters.set(owner, list);
    }
  }

  /** Types that users can name, by row (II.23.1.15). */
  #visible(): Map<number, DotnetAccess> {
    const metadata = this.#metadata;
    const outer = new Map(
      rows(metadata, table.nestedClass).map((row) => [
        metadata.number(table.nestedClass, row, 0),
        metadata.number(table.nestedClass, row, 1),
      ]),
    );
    const found = new Map<number, DotnetAccess>();
    for (const row of rows(metadata, table.typeDef)) {
      const visibility = metadata.number(table.typeDef, row, 0) & 7;
      const around = outer.get(row);
      const own =
        visibility === 1 || visibility === 2 ? 'public' : visibility === 4 || visibility === 7 ? 'protected' : null;
      if (own === null || metadata.text(table.typeDef, row, 1).includes('<')) continue;
      // A nested type has a higher row than the one around it (II.22.37).
      if (around === undefined) found.set(row, own);
      else if (found.has(around)) found.set(row, found.get(around) === 'protected' ? 'protected' : own);
    }
    return found;
  }

  #lists(): Lists {
    const metadata = this.#metadata;
    const mapped = (index: number) =>
      new Map(rows(metadata, index).map((row) => [metadata.number(index, row, 0), metadata.list(index, row, 1)]));
    const accessors = new Map<string, Map<number, number>>();
    for (const row of rows(metadata, table.methodSemantics)) {
      const key = keyOf(metadata.reference(table.methodSemantics, row, 2));
      const list = accessors.get(key) ?? new Map<number, number>();
      list.set(metadata.number(table.methodSemantics, row, 0), metadata.number(table.methodSemantics, row, 1));
      accessors.set(key, list);
    }
    return { properties: mapped(table.propertyMap), events: mapped(table.eventMap), accessors };
  }

  #interfaces: Map<number, Reference[]> | null = null;

  #interfacesOf(row: number): readonly Reference[] {
    if (this.#interfaces === null) {
      this.#interfaces = new Map();
      for (const own of rows(this.#metadata, table.interfaceImpl)) {
        const type = this.#metadata.number(table.interfaceImpl, own, 0);
        this.#interfaces.set(type, [
          ...(this.#interfaces.get(type) ?? []),
          this.#metadata.reference(table.interfaceImpl, own, 1),
        ]);
      }
    }
    return this.#interfaces.get(row) ?? [];
  }

  #type(
    row: number,
    {
      access,
      lists,
      assembly,
    }: {
      readonly access: DotnetAccess;
      readonly lists: Lists;
      readonly assembly: string;
    },
  ): DotnetType[] {
    const metadata = this.#metadata;
    const flags = metadata.number(table.typeDef, row, 0);
    const own = { table: table.typeDef, row };
    const typeParameters = this.#typeParameters.get(keyOf(own)) ?? [];
    const base = this.#signatures.name(metadata.reference(table.typeDef, row, 3));
    const name = this.#signatures.name(own);
    const space = /^(.*)\.[^.]*$/.exec(name.split('+')[0] ?? '')?.[1] ?? '';
    const kind = (flags & 0x20) !== 0 ? 'interface' : (kinds[base] ?? 'class');
    const methods = metadata.list(table.typeDef, row, 5);
    const hidden = new Set<number>();
    const properties = (lists.properties.get(row) ?? []).flatMap((property) =>
      this.#property(property, { accessors: lists.accessors, hidden }),
    );
    const events = (lists.events.get(row) ?? []).flatMap((event) =>
      this.#event(event, { accessors: lists.accessors, hidden }),
    );
    const plain = methods.filter((method) => !hidden.has(method)).flatMap((method) => this.#method(method));
    const fields = metadata.list(table.typeDef, row, 4).flatMap((field) => this.#field(field, kind));
    return [
      {
        ...{ name, space, kind, access, typeParameters, assembly },
        isAbstract: (flags & 0x80) !== 0,
        isSealed: (flags & 0x100) !== 0,
        base: base === '' ? null : base,
        interfaces: this.#interfacesOf(row).map((reference) => this.#signatures.name(reference)),
        members:
          kind === 'delegate'
            ? plain.filter((member) => member.name === 'Invoke')
            : [...fields, ...plain, ...properties, ...events],
      },
    ];
  }

  #field(row: number, kind: DotnetType['kind']): DotnetMember[] {
    const metadata = this.#metadata;
    const flags = metadata.number(table.field, row, 0);
    const access = accessOf(flags);
    const name = metadata.text(table.field, row, 1);
    // The place of an enum's value is a field of its own.
    if (access === null || (kind === 'enum' && (flags & 0x10) === 0 && name !== 'value__')) return [];
    const own = { table: table.field, row };
    return [
      {
        ...common,
        ...{ kind: 'field', name, access },
        isStatic: (flags & 0x10) !== 0,
        type: this.#signatures.field(metadata.blob(table.field, row, 2)),
        constant: (flags & 0x40) === 0 ? null : (this.#constants.get(keyOf(own)) ?? ''),
        isReadOnly: (flags & 0x20) !== 0,
        isRequired: this.#has(own, requiredMember),
      },
    ];
  }

  #method(row: number): DotnetMember[] {
    const metadata = this.#metadata;
    const flags = metadata.number(table.methodDef, row, 2);
    const access = accessOf(flags);
    const name = metadata.text(table.methodDef, row, 3);
    if (access === null || name === '.cctor' || name.includes('<')) return [];
    const typeParameters = this.#typeParameters.get(keyOf({ table: table.methodDef, row })) ?? [];
    const signature = this.#signatureOf(row);
    return [
      {
        ...common,
        kind: name === '.ctor' ? 'constructor' : 'method',
        ...{ name, access, typeParameters },
        ...methodFlags(flags),
        type: signature.result,
        parameters: this.#parameters(row, signature),
      },
    ];
  }

  #signatureOf(row: number): MethodSignature {
    return this.#signatures.method(this.#metadata.blob(table.methodDef, row, 4));
  }

  #parameters(row: number, { parameters }: MethodSignature): DotnetParameter[] {
    const metadata = this.#metadata;
    const bySequence = new Map(
      metadata.list(table.methodDef, row, 5).map((param) => [metadata.number(table.param, param, 1), param]),
    );
    return parameters.map((type, index): DotnetParameter => {
      const param = bySequence.get(index + 1);
      if (param === undefined) return { name: '', type, isOptional: false, default: null, isList: false };
      const flags = metadata.number(table.param, param, 0);
      const own = { table: table.param, row: param };
      const way =
        (flags & 3) === 2
          ? 'out'
          : this.#has(own, 'System.Runtime.CompilerServices.IsReadOnlyAttribute')
            ? 'in'
            : 'ref';
      return {
        name: metadata.text(table.param, param, 2),
        type: type.replace(/^ref /, `${way} `),
        isOptional: (flags & 0x10) !== 0,
        default: this.#constants.get(keyOf(own)) ?? null,
        isList: this.#has(own, 'System.ParamArrayAttribute'),
      };
    });
  }

  #property(row: number, { accessors, hidden }: AccessorScope): DotnetMember[] {
    const metadata = this.#metadata;
    const own = { table: table.property, row };
    const list = accessors.get(keyOf(own)) ?? new Map<number, number>();
    const [setter, getter] = [list.get(1), list.get(2)];
    for (const method of list.values()) hidden.add(method);
    const flagsOf = (method: number | undefined) =>
      method === undefined ? null : metadata.number(table.methodDef, method, 2);
    const [gets, sets] = [flagsOf(getter), flagsOf(setter)].map((flags) => (flags === null ? null : accessOf(flags)));
    const shown = getter !== undefined && gets !== null ? getter : setter;
    if (shown === undefined || (gets == null && sets == null)) return [];
    const signature = this.#signatureOf(shown);
    const isGetter = shown === getter;
    const parameters = this.#parameters(shown, signature);
    const setting = setter === undefined ? null : this.#signatureOf(setter);
    return [
      {
        ...common,
        kind: 'property',
        name: metadata.text(table.property, row, 1),
        access: gets === 'public' || sets === 'public' ? 'public' : 'protected',
        ...methodFlags(flagsOf(shown) ?? 0),
        type: isGetter ? signature.result : (signature.parameters.at(-1) ?? ''),
        parameters: isGetter ? parameters : parameters.slice(0, -1),
        getter: gets ?? null,
        setter: sets ?? null,
        isInitOnly: setting?.required.includes('System.Runtime.CompilerServices.IsExternalInit') === true,
        isRequired: this.#has(own, requiredMember),
      },
    ];
  }

  #event(row: number, { accessors, hidden }: AccessorScope): DotnetMember[] {
    const metadata = this.#metadata;
    const list = accessors.get(keyOf({ table: table.event, row })) ?? new Map<number, number>();
    for (const method of list.values()) hidden.add(method);
    const adding = list.get(8);
    const flags = adding === undefined ? 0 : metadata.number(table.methodDef, adding, 2);
    const access = accessOf(flags);
    if (access === null) return [];
    const type = this.#signatures.name(metadata.reference(table.event, row, 2));
    return [
      { ...common, kind: 'event', name: metadata.text(table.event, row, 1), access, ...methodFlags(flags), type },
    ];
  }
}

const requiredMember = 'System.Runtime.CompilerServices.RequiredMemberAttribute';

const kinds: Readonly<Record<string, DotnetType['kind']>> = {
  'System.Enum': 'enum',
  'System.ValueType': 'struct',
  'System.MulticastDelegate': 'delegate',
};

const common = {
  isStatic: false,
  isAbstract: false,
  isVirtual: false,
  isFinal: false,
  parameters: [],
  typeParameters: [],
  constant: null,
  isReadOnly: false,
  isRequired: false,
  getter: null,
  setter: null,
  isInitOnly: false,
} as const satisfies Partial<DotnetMember>;

/** II.23.1.10. */
function methodFlags(flags: number) {
  return {
    isStatic: (flags & 0x10) !== 0,
    isAbstract: (flags & 0x400) !== 0,
    // What the runtime makes virtual for an interface cannot be overridden.
    isVirtual: (flags & 0x40) !== 0 && (flags & 0x20) === 0,
    isFinal: (flags & 0x40) !== 0 && (flags & 0x20) !== 0,
  };
}

/** II.23.1.5 and II.23.1.10: of fields and methods alike. */
function accessOf(flags: number): DotnetAccess | null {
  const own = flags & 7;
  return own === 6 ? 'public' : own === 4 || own === 5 ? 'protected' : null;
}

const keyOf = ({ table: index, row }: Reference) => `${index}:${row}`;
const joined = (space: string, name: string) => (space === '' ? name : `${space}.${name}`);

function rows(metadata: Metadata, index: number): number[] {
  return Array.from({ length: metadata.count(index) }, (_, position) => position + 1);
}

function push(map: Map<string, string[]>, key: string, value: string): void {
  const list = map.get(key);
  if (list === undefined) map.set(key, [value]);
  else list.push(value);
}
