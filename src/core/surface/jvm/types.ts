/** A type of a descriptor or signature (JVMS §4.3, §4.7.9.1). */
export type JvmType = {
  /** Name as Java writes it, or `#0` for the first type parameter of the declaration around. */
  readonly name: string;
  readonly isVariable: boolean;
  readonly arguments: readonly JvmArgument[];
  readonly dimensions: number;
};

/** An argument of a generic type; the sign is that of a wildcard: `?`, `? extends`, `? super`, or none. */
export type JvmArgument = { readonly sign: '*' | '+' | '-' | ''; readonly type: JvmType | null };

/** A parameter of a generic declaration with its bounds. */
export type JvmTypeParameter = { readonly name: string; readonly bounds: readonly JvmType[] };

/** A signature of a method. */
export type JvmMethodType = {
  readonly typeParameters: readonly JvmTypeParameter[];
  readonly parameters: readonly JvmType[];
  readonly result: JvmType;
};

const primitives: Readonly<Record<string, string>> = {
  B: 'byte',
  C: 'char',
  D: 'double',
  F: 'float',
  I: 'int',
  J: 'long',
  S: 'short',
  Z: 'boolean',
  V: 'void',
};

const maxDepth = 64;

/** Reads signatures and descriptors. @throws RangeError for one that is broken or nests too deep. */
class SignatureReader {
  readonly #text: string;
  readonly #variables: Map<string, string>;
  #at = 0;

  constructor(text: string, variables: ReadonlyMap<string, string>) {
    [this.#text, this.#variables] = [text, new Map(variables)];
  }

  get variables(): ReadonlyMap<string, string> {
    return this.#variables;
  }

  #sign(): string {
    return this.#text.charAt(this.#at);
  }

  /** `<T:Ljava/lang/Object;>`. Names become numbers, so that another name is no difference. */
  typeParameters(prefix: string): JvmTypeParameter[] {
    if (this.#sign() !== '<') return [];
    const text = this.#text;
    const start = ++this.#at;
    this.#skipParameters((name, index) => this.#variables.set(name, `${prefix}${index}`));
    this.#at = start;
    const found: JvmTypeParameter[] = [];
    while (this.#sign() !== '>') {
      const colon = text.indexOf(':', this.#at);
      const name = text.slice(this.#at, colon);
      this.#at = colon;
      const bounds: JvmType[] = [];
      while (this.#sign() === ':') {
        this.#at++;
        if (this.#sign() !== ':') bounds.push(this.type());
      }
      found.push({ name, bounds });
    }
    this.#at++;
    return found;
  }

  #skipParameters(use: (name: string, index: number) => void): void {
    for (let index = 0; this.#sign() !== '>'; index++) {
      const colon = this.#text.indexOf(':', this.#at);
      if (colon === -1) throw new RangeError('a type parameter without a bound');
      use(this.#text.slice(this.#at, colon), index);
      this.#at = colon;
      while (this.#sign() === ':') {
        this.#at++;
        if (this.#sign() !== ':') this.type();
      }
    }
  }

  method(prefix: string): JvmMethodType {
    const typeParameters = this.typeParameters(prefix);
    this.#expect('(');
    const parameters: JvmType[] = [];
    while (this.#sign() !== ')') parameters.push(this.type());
    this.#at++;
    return { typeParameters, parameters, result: this.type() };
  }

  type(depth = 0): JvmType {
    if (depth > maxDepth) throw new RangeError('types nest too deep');
    let dimensions = 0;
    while (this.#sign() === '[') {
      dimensions++;
      this.#at++;
    }
    const sign = this.#sign();
    this.#at++;
    const plain = primitives[sign];
    if (plain !== undefined) return { name: plain, isVariable: false, arguments: [], dimensions };
    if (sign === 'T') {
      const end = this.#text.indexOf(';', this.#at);
      if (end === -1) throw new RangeError('a type variable without an end');
      const name = this.#text.slice(this.#at, end);
      this.#at = end + 1;
      return { name: this.#variables.get(name) ?? name, isVariable: true, arguments: [], dimensions };
    }
    if (sign !== 'L') throw new RangeError('not a type');
    return { ...this.#classType(depth), dimensions };
  }

  #classType(depth: number): JvmType {
    let name = '';
    let types: JvmArgument[] = [];
    for (;;) {
      const from = this.#at;
      while (this.#at < this.#text.length && !'<;.'.includes(this.#sign())) this.#at++;
      name += this.#text.slice(from, this.#at);
      if (this.#sign() === '<') types = this.#arguments(depth);
      const sign = this.#sign();
      this.#at++;
      if (sign === ';') return { name: javaName(name), isVariable: false, arguments: types, dimensions: 0 };
      if (sign !== '.') throw new RangeError('a class type without an end');
      name += '$';
    }
  }

  #arguments(depth: number): JvmArgument[] {
    this.#at++;
    const found: JvmArgument[] = [];
    while (this.#sign() !== '>') {
      const sign = '*+-'.includes(this.#sign()) && this.#sign() !== '' ? (this.#sign() as '*' | '+' | '-') : '';
      if (sign !== '') this.#at++;
      found.push({ sign, type: sign === '*' ? null : this.type(depth + 1) });
    }
    this.#at++;
    return found;
  }

  #expect(sign: string): void {
    if (this.#sign() !== sign) throw new RangeError(`no ${sign}`);
    this.#at++;
  }
}

/** A class's type parameters, and which number each has. @throws RangeError. */
export function readClassSignature(signature: string | null): {
  readonly typeParameters: readonly JvmTypeParameter[];
  readonly variables: ReadonlyMap<string, string>;
} {
  const reader = new SignatureReader(signature ?? '', new Map());
  const typeParameters = reader.typeParameters('#');
  return { typeParameters, variables: reader.variables };
}

/** @param variables those of the class around. @throws RangeError. */
export function readMethodType(text: string, variables: ReadonlyMap<string, string>): JvmMethodType {
  return new SignatureReader(text, variables).method('##');
}

/** @param variables those of the class around. @throws RangeError. */
export function readFieldType(text: string, variables: ReadonlyMap<string, string>): JvmType {
  return new SignatureReader(text, variables).type();
}

/** `java/lang/String` as users write it; nested classes with a dot. */
export function javaName(name: string): string {
  return name
    .replace(/^java\/lang\/(?=[^/]+$)/, '')
    .replaceAll('/', '.')
    .replace(/(?<=[^.])\$(?=[^$.])/g, '.');
}

/** A type as Java writes it. */
export function typeText({ name, arguments: types, dimensions }: JvmType): string {
  const inner = types.map(({ sign, type }) => {
    const text = type === null ? '' : typeText(type);
    return sign === '*' ? '?' : sign === '+' ? `? extends ${text}` : sign === '-' ? `? super ${text}` : text;
  });
  return `${name}${inner.length === 0 ? '' : `<${inner.join(', ')}>`}${'[]'.repeat(dimensions)}`;
}

/** How generic types of equal erasure relate for what users pass or get (JLS 17, §4.5.1). */
export function relateTypes(old: JvmType, now: JvmType): 'same' | 'wider' | 'narrower' | 'other' | 'unknown' {
  if (typeText(old) === typeText(now)) return 'same';
  const [before, after] = [old.arguments, now.arguments];
  if (old.isVariable || now.isVariable || old.name !== now.name || old.dimensions !== now.dimensions) return 'unknown';
  // A raw type and one of unknown arguments take the same values.
  if (before.length === 0 && after.every(({ sign }) => sign === '*')) return 'same';
  if (after.length === 0 && before.every(({ sign }) => sign === '*')) return 'same';
  if (before.length !== after.length) return 'unknown';
  const all = before
    .map((argument, index) => relateArguments(argument, after[index] ?? argument))
    .filter((one) => one !== 'same');
  if (all.every((one) => one === 'wider')) return 'wider';
  return all.every((one) => one === 'narrower') ? 'narrower' : all.includes('unknown') ? 'unknown' : 'other';
}

function relateArguments(old: JvmArgument, now: JvmArgument): ReturnType<typeof relateTypes> {
  const isSame = old.type !== null && now.type !== null && typeText(old.type) === typeText(now.type);
  if (old.sign === now.sign && (isSame || old.sign === '*')) return 'same';
  if (now.sign === '*' || (old.sign === '' && isSame)) return 'wider';
  if (old.sign === '*' || (now.sign === '' && isSame)) return 'narrower';
  const isOpen = [old, now].some(({ type }) => type?.isVariable === true);
  return isOpen || old.sign !== '' || now.sign !== '' ? 'unknown' : 'other';
}
