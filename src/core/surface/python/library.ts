import type { PythonClass, PythonDefinition, PythonModule } from './definitions.ts';

/** A definition and the module that it is in. */
export type Located = { readonly definition: PythonDefinition; readonly module: PythonModule };

/** What a name leads to. */
export type Found =
  | ({ readonly type: 'definition' } & Located)
  | { readonly type: 'module'; readonly name: string }
  /** In a package of others, or where nothing can be read. */
  | { readonly type: 'outside'; readonly from: string };

/** What a class has from its bases. */
export type Ancestry = {
  /** Classes of this package, nearest first, the class itself at the front. */
  readonly own: readonly Located[];
  /** Names of all bases, without their modules. */
  readonly names: ReadonlySet<string>;
  /** Bases whose members nothing here says. */
  readonly foreign: readonly string[];
};

const maxSteps = 64;

// "Exception hierarchy" of the Python Standard Library; every other built-in error is an Exception.
const builtInBases: Readonly<Record<string, string>> = {
  ...Object.fromEntries(['KeyError', 'IndexError'].map((name) => [name, 'LookupError'])),
  ...Object.fromEntries(
    ['ZeroDivisionError', 'OverflowError', 'FloatingPointError'].map((name) => [name, 'ArithmeticError']),
  ),
  ...Object.fromEntries(['NotImplementedError', 'RecursionError'].map((name) => [name, 'RuntimeError'])),
  ...Object.fromEntries(
    ['FileNotFoundError', 'PermissionError', 'TimeoutError', 'FileExistsError'].map((name) => [name, 'OSError']),
  ),
  ...Object.fromEntries(
    ['BrokenPipeError', 'ConnectionResetError', 'ConnectionRefusedError'].map((name) => [name, 'ConnectionError']),
  ),
  ...Object.fromEntries(['UserWarning', 'DeprecationWarning', 'RuntimeWarning'].map((name) => [name, 'Warning'])),
  ConnectionError: 'OSError',
  UnicodeError: 'ValueError',
  ModuleNotFoundError: 'ImportError',
  IntEnum: 'Enum',
  StrEnum: 'Enum',
  Flag: 'Enum',
  IntFlag: 'Flag',
};

const plainErrors = new Set(
  'ValueError TypeError LookupError RuntimeError AttributeError ArithmeticError OSError ImportError AssertionError BufferError EOFError MemoryError NameError ReferenceError StopIteration SyntaxError SystemError Warning'.split(
    ' ',
  ),
);

function withBuiltInBases(name: string): string[] {
  const above = builtInBases[name];
  return above === undefined
    ? plainErrors.has(name)
      ? [name, 'Exception']
      : [name]
    : [name, ...withBuiltInBases(above)];
}

/** The modules of a package, and where names lead from one to another. */
export class PythonLibrary {
  readonly modules: ReadonlyMap<string, PythonModule>;

  constructor(modules: readonly PythonModule[]) {
    this.modules = new Map(modules.map((module) => [module.name, module]));
  }

  /** What a name in a module leads to; null where there is nothing of that name. */
  find(module: PythonModule, name: string, steps = maxSteps): Found | null {
    const definition = module.definitions.get(name);
    if (definition !== undefined) return { type: 'definition', definition, module };
    const imported = module.imports.get(name);
    if (steps === 0) return null;
    if (imported !== undefined) {
      if (imported.name === null) return this.#moduleOrOutside(imported.module);
      const source = this.modules.get(imported.module);
      const inner = source === undefined ? null : this.find(source, imported.name, steps - 1);
      if (inner !== null) return inner;
      const whole = `${imported.module}.${imported.name}`;
      return this.modules.has(whole) ? { type: 'module', name: whole } : { type: 'outside', from: whole };
    }
    for (const star of module.stars) {
      const source = this.modules.get(star);
      const inner = source === undefined || !this.#isStarred(source, name) ? null : this.find(source, name, steps - 1);
      if (inner !== null) return inner;
    }
    const submodule = `${module.name}.${name}`;
    return this.modules.has(submodule) ? { type: 'module', name: submodule } : null;
  }

  /** A dotted name such as `base.Tide`. */
  findDotted(module: PythonModule, name: string): Found | null {
    const [first = '', ...rest] = name.split('.');
    let found = this.find(module, first);
    for (const part of rest) {
      if (found?.type === 'outside') return { type: 'outside', from: `${found.from}.${part}` };
      if (found?.type === 'definition') {
        const inner: PythonDefinition | undefined =
          found.definition.type === 'class' ? found.definition.members.get(part) : undefined;
        found = inner === undefined ? null : { ...found, definition: inner };
        continue;
      }
      const next = found === null ? undefined : this.modules.get(found.name);
      if (next === undefined) return null;
      found = this.find(next, part);
    }
    return found;
  }

  /** Names that users may take from a module, in its order ("Library interface" of the typing specification; PEP 8). */
  publicNames(module: PythonModule, steps = maxSteps): string[] {
    if (module.all !== null) {
      const others = module.allFrom.flatMap((name) => {
        const other = this.modules.get(name);
        return other === undefined || steps === 0 ? [] : this.publicNames(other, steps - 1);
      });
      // Users ask for it whether it is listed or not.
      const version = this.find(module, '__version__', steps) === null ? [] : ['__version__'];
      return [...new Set([...module.all, ...others, ...version])];
    }
    const offered = [...module.imports].filter(([, { isOffered }]) => isOffered).map(([name]) => name);
    const starred = module.stars.flatMap((name) => {
      const other = this.modules.get(name);
      return other === undefined || steps === 0 ? [] : this.publicNames(other, steps - 1);
    });
    const own = [...module.definitions.keys(), ...offered, ...starred];
    return [...new Set(own)].filter((name) => !name.startsWith('_') || name === '__version__');
  }

  /** Why the names of a module are not all known; null where they are. */
  whyDynamic(module: PythonModule): string | null {
    if (module.whyDynamic !== null) return module.whyDynamic;
    const foreign = [...module.stars, ...module.allFrom].find((name) => !this.modules.has(name));
    return foreign === undefined ? null : `it takes over all names of ${foreign}, which is not inside`;
  }

  /** A class with all that it inherits (The Python Language Reference, 3.3.3.1). */
  ancestry(start: Located): Ancestry {
    const own: Located[] = [];
    const [names, foreign] = [new Set<string>(), new Set<string>()];
    const open: Located[] = [start];
    while (open.length > 0 && own.length < maxSteps) {
      const next = open.shift() as Located;
      if (next.definition.type !== 'class' || own.some(({ definition }) => definition === next.definition)) continue;
      own.push(next);
      for (const written of next.definition.bases) {
        const base = written.replace(/\[.*$/s, '');
        for (const name of withBuiltInBases(base.split('.').at(-1) ?? base)) names.add(name);
        const found = this.findDotted(next.module, base);
        if (found?.type === 'definition') open.push(found);
        else foreign.add(found?.type === 'outside' ? found.from : base);
      }
    }
    return { own, names, foreign: [...foreign] };
  }

  /** A member of a class, its own or inherited; null where the classes of this package have none. */
  member(start: Located, name: string): Located | null {
    for (const { definition, module } of this.ancestry(start).own) {
      const member = (definition as PythonClass).members.get(name);
      if (member !== undefined) return { definition: member, module };
    }
    return null;
  }

  #moduleOrOutside(name: string): Found {
    return this.modules.has(name) ? { type: 'module', name } : { type: 'outside', from: name };
  }

  #isStarred(module: PythonModule, name: string): boolean {
    return module.all === null ? !name.startsWith('_') : module.all.includes(name);
  }
}
