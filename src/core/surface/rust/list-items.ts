import type { Item } from '../items.ts';
import type { CrateTree, ModuleNode } from './crate-tree.ts';
import type { RustField, RustFunction, RustImpl, RustItem } from './definitions.ts';
import { numbered, splitTop } from './read-file.ts';

/** What a public name of a crate leads to. */
export type RustDetail = {
  readonly of:
    | { readonly type: 'item'; readonly item: RustItem }
    | { readonly type: 'field'; readonly field: RustField }
    | { readonly type: 'trait'; readonly impl: RustImpl | null; readonly trait: string }
    | { readonly type: 'outside'; readonly path: string };
  /** The structure, enumeration or trait that it belongs to. */
  readonly owner: RustItem | null;
  readonly condition: string;
  /** Whether several definitions under different conditions share the name. */
  readonly isUnsure: boolean;
  /** Whether only this crate can implement a trait. */
  readonly isSealed: boolean;
};

const maxItems = 200_000;
const maxModules = 5_000;

/** Every path under which users can name something ("Visibility and Privacy"). */
export function listRustItems(
  tree: CrateTree,
  crate: string,
  isProcMacro: boolean,
): { readonly items: Item<RustDetail>[]; readonly isCut: boolean } {
  const lister = new Lister(tree, crate);
  if (isProcMacro) return { items: lister.procedures(), isCut: false };
  lister.module(tree.root, { path: [crate], condition: '' });
  lister.macros();
  return { items: [...lister.found.values()], isCut: lister.isCut };
}

/** A name to be listed. */
type Part = {
  readonly name: string;
  readonly kind: string;
  readonly signature: string;
  readonly line: number;
  readonly of: RustDetail['of'];
  readonly condition?: string;
  /** What makes it the same on the other side, where that is not its name. */
  readonly keyName?: string;
};

type Place = { readonly path: readonly string[]; readonly condition: string };

class Lister {
  readonly found = new Map<string, Item<RustDetail>>();
  readonly #tree: CrateTree;
  readonly #crate: string;
  readonly #seen = new Set<string>();
  readonly #impls = new Map<string, { readonly impl: RustImpl; readonly node: ModuleNode }[]>();

  constructor(tree: CrateTree, crate: string) {
    [this.#tree, this.#crate] = [tree, crate];
    for (const one of tree.impls()) {
      const name = headOf(one.impl.type);
      this.#impls.set(name, [...(this.#impls.get(name) ?? []), one]);
    }
  }

  /** Whether there were too many paths to follow them all. */
  isCut = false;
  /** Modules that are being listed: one that passes itself on adds nothing. */
  readonly #open = new Set<ModuleNode>();

  module(node: ModuleNode, place: Place): void {
    const key = `${node.path.join('::')} ${place.path.join('::')}`;
    if (this.#seen.has(key) || this.#open.has(node)) return;
    if (this.#seen.size >= maxModules || place.path.length > 16 || this.found.size > maxItems) {
      this.isCut = true;
      return;
    }
    this.#seen.add(key);
    this.#open.add(node);
    this.#list(node, place);
    this.#open.delete(node);
  }

  #list(node: ModuleNode, place: Place): void {
    for (const item of node.module.items)
      if (item.isPublic && item.kind !== 'macro') this.#item(item, { node, place, name: item.name });
    for (const child of node.children.values())
      if (child.isPublic)
        this.module(child, {
          path: [...place.path, child.path.at(-1) ?? ''],
          condition: both(place.condition, child.condition),
        });
    for (const use of node.module.uses) if (use.isPublic) this.#use(node, use, place);
  }

  #use(node: ModuleNode, { path, name, line }: ModuleNode['module']['uses'][number], place: Place): void {
    for (const found of this.#tree.resolve(node, path)) {
      if (name === null) {
        if (found.type === 'module') this.module(found.node, place);
        else if (found.type === 'outside') this.#outside(`${found.path}::*`, '*', { node, line, place });
        else if (found.item.kind === 'enum')
          for (const variant of found.item.variants)
            this.#item(variant, { node: found.node, place, name: variant.name });
      } else if (found.type === 'module') this.module(found.node, { ...place, path: [...place.path, name] });
      else if (found.type === 'outside') this.#outside(found.path, name, { node, line, place });
      else if (name !== '_' && (found.item.isPublic || found.item.kind === 'macro'))
        this.#item(found.item, { node: found.node, place, name });
    }
  }

  #outside(
    path: string,
    name: string,
    { node, line, place }: { readonly node: ModuleNode; readonly line: number; readonly place: Place },
  ): void {
    this.#add(place, {
      name,
      kind: 'use',
      signature: `pub use ${path}`,
      line,
      node,
      of: { type: 'outside', path },
      owner: null,
    });
  }

  #add(
    place: Place,
    {
      name,
      kind,
      signature,
      line,
      node,
      of,
      owner,
      sealed = false,
      condition = '',
      keyName = name,
    }: Part & {
      readonly node: ModuleNode;
      readonly owner: { readonly item: RustItem; readonly key: string } | null;
      readonly sealed?: boolean;
    },
  ): void {
    const entry = place.path.join('::');
    // Types, functions and macros have names apart from each other.
    const space =
      kind === 'function' || kind === 'constant' || kind === 'static' ? 'value' : kind === 'macro' ? 'macro' : 'type';
    const key = `${space} ${keyName}`;
    const id = `${entry} ${key}`;
    const known = this.found.get(id);
    const whole = both(place.condition, condition);
    if (known !== undefined && (known.signature === signature || known.detail.condition === whole)) return;
    const detail: RustDetail = {
      of,
      owner: owner?.item ?? null,
      condition: whole,
      isUnsure: known !== undefined,
      isSealed: sealed,
    };
    this.found.set(id, {
      entry,
      name,
      key,
      owner: owner === null ? null : `type ${owner.key}`,
      kind,
      signature,
      place: { file: node.module.file, line },
      detail,
    });
  }

  #item(
    item: RustItem,
    { node, place, name }: { readonly node: ModuleNode; readonly place: Place; readonly name: string },
  ): void {
    const isSealed = item.kind === 'trait' && item.above.some((above) => this.#isHidden(above, node));
    const add = (part: Part, isOwn = true) =>
      this.#add(place, {
        ...part,
        node,
        owner: isOwn ? { item, key: name } : null,
        sealed: isSealed,
        condition: part.condition ?? item.condition,
      });
    add({ name, kind: item.kind, signature: signatureOf(item), line: item.line, of: { type: 'item', item } }, false);
    if (item.kind === 'struct' || item.kind === 'union')
      for (const field of item.fields.filter((one) => one.isPublic))
        add({
          name: `${name}::${field.name}`,
          kind: 'field',
          signature: `${field.name}: ${field.type}`,
          line: field.line,
          of: { type: 'field', field },
        });
    const inner = item.kind === 'enum' ? item.variants : item.kind === 'trait' ? item.items : [];
    for (const part of inner)
      add({
        name: `${name}::${part.name}`,
        kind: part.kind,
        signature: signatureOf(part),
        line: part.line,
        of: { type: 'item', item: part },
        condition: both(item.condition, part.condition),
      });
    if (item.kind === 'struct' || item.kind === 'enum' || item.kind === 'union')
      this.#implsOf(item, { node, name, add });
  }

  #implsOf(
    item: RustItem,
    {
      node,
      name,
      add,
    }: {
      readonly node: ModuleNode;
      readonly name: string;
      readonly add: (part: Part) => void;
    },
  ): void {
    for (const derived of item.derives)
      add({
        name: `${name}: ${derived}`,
        kind: 'implementation',
        signature: `impl ${derived} for ${name}`,
        line: item.line,
        of: { type: 'trait', impl: null, trait: derived },
      });
    for (const { impl, node: at } of this.#impls.get(item.name) ?? []) {
      const isThis =
        at === node ||
        this.#tree.resolve(at, splitPath(impl.type)).some((found) => found.type === 'item' && found.item === item);
      if (!isThis) continue;
      const { trait } = impl;
      if (trait !== null) {
        if (trait.startsWith('!') || this.#isHidden(trait, at)) continue;
        const short = trait
          .replace(/^(?:\w+::)+/, '')
          .replace(/'\w+,?\s*/g, '')
          .replace(/<>$/, '');
        add({
          name: `${name}: ${short}`,
          keyName: `${name}: ${numbered(short, impl)}`,
          kind: 'implementation',
          signature: `impl ${short} for ${name}`,
          line: impl.line,
          of: { type: 'trait', impl, trait: short },
          condition: both(item.condition, impl.condition),
        });
        continue;
      }
      for (const member of impl.items.filter(({ isPublic }) => isPublic))
        add({
          name: `${name}::${member.name}`,
          kind: member.kind,
          signature: signatureOf(member),
          line: member.line,
          of: { type: 'item', item: member },
          condition: both(item.condition, both(impl.condition, member.condition)),
        });
    }
  }

  /** Whether a trait is one of this crate that users cannot name. */
  #isHidden(path: string, node: ModuleNode): boolean {
    const found = this.#tree.resolve(node, splitPath(path));
    const own = found.flatMap((one) => (one.type === 'item' && one.item.kind === 'trait' ? [one] : []));
    return own.length > 0 && own.every((one) => !one.item.isPublic || !this.#isReachable(one.node));
  }

  #reachable: Set<ModuleNode> | null = null;

  /** Whether users can name a module, or something of it is passed on. */
  #isReachable(node: ModuleNode): boolean {
    if (this.#reachable === null) {
      this.#reachable = new Set();
      for (const one of this.#tree.nodes()) {
        const above = one.parent === null || this.#reachable.has(one.parent);
        if (above && one.isPublic) this.#reachable.add(one);
      }
      for (const one of [...this.#reachable])
        for (const use of one.module.uses.filter(({ isPublic }) => isPublic))
          for (const found of this.#tree.resolve(one, use.path))
            if (found.type !== 'outside') this.#reachable.add(found.node);
    }
    return this.#reachable.has(node);
  }

  /** Macros that are exported stand at the top of the crate, wherever they are defined. */
  macros(): void {
    for (const node of this.#tree.nodes())
      for (const item of node.module.items)
        if (item.kind === 'macro' && item.isPublic)
          this.#item(item, { node, place: { path: [this.#crate], condition: '' }, name: item.name });
  }

  /** A crate of procedural macros offers nothing else. */
  procedures(): Item<RustDetail>[] {
    for (const node of this.#tree.nodes())
      for (const item of node.module.items)
        if (item.kind === 'function' && item.macro !== null) {
          const name = item.macro === '!' ? `${item.name}!` : item.macro === '#[]' ? `#[${item.name}]` : item.macro;
          this.#add(
            { path: [this.#crate], condition: '' },
            {
              name,
              kind: 'macro',
              signature: name,
              line: item.line,
              node,
              of: { type: 'outside', path: name },
              owner: null,
            },
          );
        }
    return [...this.found.values()];
  }
}

const headOf = (type: string) => /(?:^|::)(\w+)\s*(?:<|$)/.exec(type.replace(/^&\s*(?:mut\s+)?/, ''))?.[1] ?? type;
const splitPath = (type: string) =>
  type
    .replace(/<[\s\S]*$/, '')
    .split('::')
    .map((part) => part.trim())
    .filter((part) => part !== '');
const both = (a: string, b: string) => [...new Set([...splitTop(a, ','), ...splitTop(b, ',')])].join(', ');

/** An item as its source has it, without its body. */
export function signatureOf(item: RustItem): string {
  const generics =
    item.typeParameters.length === 0 ? '' : `<${item.typeParameters.map(({ name }) => name).join(', ')}>`;
  const bounds = item.bounds.length === 0 ? '' : ` where ${item.bounds.join(', ')}`;
  switch (item.kind) {
    case 'function':
      return functionText(item, generics) + bounds;
    case 'struct':
    case 'union':
    case 'variant': {
      const word = item.kind === 'variant' ? '' : `${item.kind} `;
      const hidden = item.fields.some(({ isPublic }) => !isPublic);
      const fields = item.fields
        .filter(({ isPublic }) => isPublic)
        .map(({ name, type }) => (item.shape === 'tuple' ? type : `${name}: ${type}`));
      const inside = [...fields, ...(hidden ? ['..'] : [])].join(', ');
      const body = item.shape === 'unit' ? '' : item.shape === 'tuple' ? `(${inside})` : ` { ${inside} }`;
      return `${word}${item.name}${generics}${body}${bounds}`;
    }
    case 'trait':
      return `${item.isUnsafe ? 'unsafe ' : ''}trait ${item.name}${generics}${item.above.length === 0 ? '' : `: ${item.above.join(' + ')}`}${bounds}`;
    case 'constant':
      return `const ${item.name}: ${item.type}`;
    case 'static':
      return `static ${item.name}: ${item.type}`;
    case 'type':
      return `type ${item.name}${generics}${item.hasBody ? ` = ${item.type}` : ''}`;
    case 'macro':
      return `macro ${item.name}!`;
    default:
      return `enum ${item.name}${generics}${bounds}`;
  }
}

function functionText(item: RustFunction, generics: string): string {
  const words = [
    item.isConst ? 'const ' : '',
    item.isAsync ? 'async ' : '',
    item.isUnsafe ? 'unsafe ' : '',
    item.abi === '' ? '' : `extern "${item.abi}" `,
  ].join('');
  const list = [...(item.receiver === null ? [] : [item.receiver]), ...item.parameters].join(', ');
  return `${words}fn ${item.name}${generics}(${list})${item.result === '()' ? '' : ` -> ${item.result}`}`;
}
