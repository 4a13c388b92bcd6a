import type { Item } from '../items.ts';
import type {
  PythonAttribute,
  PythonClass,
  PythonDefinition,
  PythonFunction,
  PythonParameter,
  PythonSignature,
} from './definitions.ts';
import type { Located, PythonLibrary } from './library.ts';

/** What a public name of Python leads to; nothing for a name that is offered and cannot be followed. */
export type PythonDetail = { readonly found: Located | null; readonly owner: Located | null };

/** Every public name of every public module, members of classes too. */
export function listPythonItems(library: PythonLibrary): Item<PythonDetail>[] {
  const modules = [...library.modules.values()]
    .filter(({ name }) => isPublicModule(name))
    .sort((a, b) => (a.name < b.name ? -1 : 1));
  const named = modules.flatMap((module) =>
    library.publicNames(module).map((name) => ({ module, name, found: library.find(module, name) })),
  );
  const classes = new Set(named.flatMap(({ found }) => (found?.type === 'definition' ? [found.definition] : [])));
  return named.flatMap(({ module, name, found }): Item<PythonDetail>[] => {
    if (found?.type === 'module') return [];
    if (found === null || found.type === 'outside') {
      const signature = found === null ? name : `${name} = ${found.from}`;
      const line = module.imports.get(name)?.line ?? 1;
      const place = { file: module.file, line };
      return [
        {
          entry: module.name,
          name,
          key: name,
          owner: null,
          kind: 'name',
          signature,
          place,
          detail: { found: null, owner: null },
        },
      ];
    }
    const item = itemOf(module.name, { name, owner: null, located: found, within: null });
    return [item, ...(found.definition.type === 'class' ? membersOf(item, found, { library, classes }) : [])];
  });
}

/** Whether a module is one that users import: no part of its name is private, and it holds no tests. */
export function isPublicModule(name: string): boolean {
  return name.split('.').every((part) => !part.startsWith('_') && !/^(?:tests?|conftest|test_.*)$/.test(part));
}

/** Names with two underscores around are the protocol of the language, all others with one in front are private (PEP 8). */
const isPublicMember = (name: string) => (name.startsWith('_') ? isProtocol(name) : true);
const isProtocol = (name: string) =>
  /^__\w+__$/.test(name) &&
  !/^__(?:slots|doc|module|annotations|match_args|dict|weakref|qualname|all|test)__$/.test(name);

function membersOf(
  owner: Item<PythonDetail>,
  located: Located,
  scope: { readonly library: PythonLibrary; readonly classes: ReadonlySet<PythonDefinition> },
): Item<PythonDetail>[] {
  const found = new Map<string, Item<PythonDetail>>();
  for (const base of scope.library.ancestry(located).own) {
    // What a public base has is shown there.
    if (base.definition !== located.definition && scope.classes.has(base.definition)) continue;
    for (const [name, definition] of (base.definition as PythonClass).members) {
      if (!isPublicMember(name) || found.has(name)) continue;
      const at = { definition, module: base.module };
      found.set(
        name,
        itemOf(owner.entry, { name: `${owner.name}.${name}`, owner: owner.key, located: at, within: located }),
      );
    }
  }
  const items = [...found.values()];
  const inner = items.flatMap((item) =>
    item.detail.found?.definition.type === 'class' && item.name.split('.').length < 8
      ? membersOf(item, item.detail.found, scope)
      : [],
  );
  return [...items, ...inner];
}

function itemOf(
  entry: string,
  {
    name,
    owner,
    located,
    within,
  }: {
    readonly name: string;
    readonly owner: string | null;
    readonly located: Located;
    readonly within: Located | null;
  },
): Item<PythonDetail> {
  const { definition, module } = located;
  return {
    entry,
    name,
    key: name,
    owner,
    kind: kindOf(definition),
    signature: signatureOf(definition),
    place: { file: module.file, line: definition.line },
    detail: { found: located, owner: within },
  };
}

function kindOf(definition: PythonDefinition): string {
  if (definition.type !== 'function') return definition.type;
  if (definition.binding === 'property') return 'property';
  return definition.binding === 'plain' ? 'function' : 'method';
}

/** A definition as users would write it. */
export function signatureOf(definition: PythonDefinition): string {
  if (definition.type === 'function') return functionText(definition);
  return definition.type === 'class' ? classText(definition) : attributeText(definition);
}

function functionText({ name, isAsync, signatures, binding, isAbstract }: PythonFunction): string {
  const marks = `${isAbstract ? 'abstract ' : ''}${binding === 'static' || binding === 'class' ? `${binding} ` : ''}`;
  if (binding === 'property') return `${marks}property ${name}${returnsText(signatures[0])}`;
  return signatures
    .map(
      (signature) =>
        `${marks}${isAsync ? 'async ' : ''}def ${name}(${parametersText(signature)})${returnsText(signature)}`,
    )
    .join('; ');
}

const returnsText = (signature: PythonSignature | undefined) =>
  signature?.returns == null ? '' : ` -> ${signature.returns}`;

function parametersText({ parameters }: PythonSignature): string {
  const lastPositional = parameters.findLastIndex(({ kind }) => kind === 'positional');
  const firstKeyword = parameters.findIndex(({ kind }) => kind === 'keyword');
  const hasRest = parameters.some(({ kind }) => kind === 'rest');
  return parameters
    .flatMap((parameter, index) => [
      ...(index === firstKeyword && !hasRest ? ['*'] : []),
      parameterText(parameter),
      ...(index === lastPositional ? ['/'] : []),
    ])
    .join(', ');
}

function parameterText({ name, kind, type, default: value }: PythonParameter): string {
  const stars = kind === 'rest' ? '*' : kind === 'keywords' ? '**' : '';
  return `${stars}${name}${type === null ? '' : `: ${type}`}${value === null ? '' : type === null ? `=${value}` : ` = ${value}`}`;
}

function classText({ name, bases }: PythonClass): string {
  return `class ${name}${bases.length === 0 ? '' : `(${bases.join(', ')})`}`;
}

function attributeText(attribute: PythonAttribute): string {
  const type = typeOfAttribute(attribute);
  return type === null ? attribute.name : `${attribute.name}: ${type}`;
}

/** The annotation, or the type of a literal value; null where neither says it. */
export function typeOfAttribute({ annotation, value }: PythonAttribute): string | null {
  if (annotation !== null && !/^(?:[\w.]+\.)?(?:Final|ClassVar)$/.test(annotation)) return annotation;
  if (value === null) return null;
  if (/^-?\d[\d_]*$/.test(value)) return 'int';
  if (/^-?\d[\d_]*\.\d*(?:[eE][-+]?\d+)?$/.test(value)) return 'float';
  if (/^(?:True|False)$/.test(value)) return 'bool';
  if (/^[rRuU]?["']/.test(value) && !/["']\s*[.%[+]/.test(value)) return 'str';
  return /^b["']/.test(value) ? 'bytes' : null;
}

/** Fields that a class asks for when it is made, in their order: of data classes, named tuples and typed dictionaries. */
export function fieldsOf(located: Located, library: PythonLibrary): PythonAttribute[] {
  const fields = new Map<string, PythonAttribute>();
  for (const { definition } of [...library.ancestry(located).own].reverse())
    for (const member of (definition as PythonClass).members.values())
      if (member.type === 'attribute' && member.annotation !== null && !/\bClassVar\b/.test(member.annotation))
        fields.set(member.name, member);
  return [...fields.values()].filter(({ value }) => !/\binit\s*=\s*False\b/.test(value ?? ''));
}
