import type { RustImpl, RustItem, RustModule } from './definitions.ts';

/** A module in its place; names below it by their own. */
export type ModuleNode = {
  readonly path: readonly string[];
  readonly module: RustModule;
  readonly isPublic: boolean;
  readonly condition: string;
  readonly children: Map<string, ModuleNode>;
  readonly parent: ModuleNode | null;
};

/** What a path leads to. */
export type RustFound =
  | { readonly type: 'item'; readonly item: RustItem; readonly node: ModuleNode }
  | { readonly type: 'module'; readonly node: ModuleNode }
  | { readonly type: 'outside'; readonly path: string };

const maxDepth = 64;

/** The modules of a crate (The Rust Reference, "Module Source Filenames", "Paths"). */
export class CrateTree {
  readonly root: ModuleNode;
  /** Modules that are mentioned and have no file inside. */
  readonly missing: string[] = [];
  readonly #files: ReadonlyMap<string, RustModule>;

  constructor(rootFile: string, files: ReadonlyMap<string, RustModule>) {
    this.#files = files;
    const empty: RustModule = { file: rootFile, items: [], uses: [], impls: [], modules: [], calls: [] };
    this.root = {
      path: [],
      module: files.get(rootFile) ?? empty,
      isPublic: true,
      condition: '',
      children: new Map(),
      parent: null,
    };
    this.#grow(this.root, folderOf(rootFile));
  }

  /** @param folder where files of modules below are. */
  #grow(node: ModuleNode, folder: string): void {
    if (node.path.length > maxDepth) return;
    for (const mention of node.module.modules) {
      const path = [...node.path, mention.name];
      const common = {
        path,
        isPublic: mention.isPublic,
        condition: mention.condition,
        children: new Map(),
        parent: node,
      };
      if (mention.inline !== null) {
        const child = { ...common, module: mention.inline };
        node.children.set(mention.name, child);
        this.#grow(child, `${folder}${mention.name}/`);
        continue;
      }
      const own =
        mention.path === null
          ? [`${folder}${mention.name}.rs`, `${folder}${mention.name}/mod.rs`]
          : [normal(`${folderOf(node.module.file)}${mention.path}`)];
      const file = own.find((candidate) => this.#files.has(candidate));
      const module = file === undefined ? undefined : this.#files.get(file);
      if (file === undefined || module === undefined) {
        if (mention.condition === '') this.missing.push(path.join('::'));
        continue;
      }
      const child = { ...common, module };
      node.children.set(mention.name, child);
      const isModFile = file.endsWith('/mod.rs') || mention.path !== null;
      this.#grow(child, isModFile ? folderOf(file) : `${file.slice(0, -3)}/`);
    }
  }

  /** Every module with what stands above it. */
  *nodes(from: ModuleNode = this.root): Generator<ModuleNode> {
    yield from;
    for (const child of from.children.values()) yield* this.nodes(child);
  }

  /** What a path in a module leads to. @param seen what a search has asked before: names may lead in circles. */
  resolve(node: ModuleNode, path: readonly string[], seen = new Set<string>()): readonly RustFound[] {
    const [first = '', ...rest] = path;
    if (first === 'crate') return this.#walk(this.root, rest, seen);
    if (first === 'self') return this.#walk(node, rest, seen);
    if (first === 'super') return this.#walk(node.parent ?? this.root, rest, seen);
    const local = this.#walk(node, path, seen);
    if (local.length > 0) return local;
    // Names of the 2015 edition begin at the top of the crate.
    const above = this.root.children.has(first) && node !== this.root ? this.#walk(this.root, path, seen) : [];
    return above.length > 0 ? above : [{ type: 'outside', path: path.join('::') }];
  }

  #walk(node: ModuleNode, path: readonly string[], seen: Set<string>): readonly RustFound[] {
    const [first, ...rest] = path;
    if (first === undefined) return [{ type: 'module', node }];
    if (first === 'super') return this.#walk(node.parent ?? this.root, rest, seen);
    if (rest.length === 0) return this.named(node, first, seen);
    const child = node.children.get(first);
    if (child !== undefined) return this.#walk(child, rest, seen);
    return this.named(node, first, seen).flatMap((found): readonly RustFound[] => {
      if (found.type === 'module') return this.#walk(found.node, rest, seen);
      return found.type === 'outside' ? [{ type: 'outside', path: [found.path, ...rest].join('::') }] : [];
    });
  }

  readonly #known = new Map<string, readonly RustFound[]>();

  /** Everything of one name in a module: a type and a function may share one. */
  named(node: ModuleNode, name: string, seen = new Set<string>()): readonly RustFound[] {
    const key = `${node.path.join('::')} ${name}`;
    const known = this.#known.get(key);
    if (known !== undefined) return known;
    if (seen.has(key)) return [];
    const isFirst = seen.size === 0;
    seen.add(key);
    const found = this.#search(node, name, seen);
    // Inside of a search, a circle may have cut something off.
    if (isFirst) this.#known.set(key, found);
    return found;
  }

  #search(node: ModuleNode, name: string, seen: Set<string>): readonly RustFound[] {
    const items = node.module.items
      .filter((item) => item.name === name)
      .map((item): RustFound => ({ type: 'item', item, node }));
    const child = node.children.get(name);
    const modules: RustFound[] = child === undefined ? [] : [{ type: 'module', node: child }];
    const used = node.module.uses
      .filter((use) => use.name === name && use.path.join('::') !== name)
      .flatMap((use) => this.resolve(node, use.path, seen));
    if (items.length + modules.length + used.length > 0) return [...items, ...modules, ...used];
    return node.module.uses
      .filter((use) => use.name === null)
      .flatMap((use) => this.resolve(node, use.path, seen))
      .flatMap((found) => (found.type === 'module' && found.node !== node ? this.named(found.node, name, seen) : []));
  }

  /** Every `impl` with the module that it stands in. */
  impls(): { readonly impl: RustImpl; readonly node: ModuleNode }[] {
    return [...this.nodes()].flatMap((node) => node.module.impls.map((impl) => ({ impl, node })));
  }
}

const folderOf = (file: string) => file.slice(0, file.lastIndexOf('/') + 1);

/** A path without `..`. */
function normal(path: string): string {
  const found: string[] = [];
  for (const part of path.split('/'))
    if (part === '..') found.pop();
    else if (part !== '.' && part !== '') found.push(part);
  return found.join('/');
}
