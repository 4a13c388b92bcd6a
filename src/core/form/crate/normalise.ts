import { objectOf, textOf } from '../../manifest/fields.ts';

// The manifest that lies in a crate (The Cargo Book, "cargo package", "Workspaces"): nothing in it needs the workspace that it
// came from.

type Table = Readonly<Record<string, unknown>>;

/** What a crate's manifest is made of. */
export type CrateSource = {
  /** `Cargo.toml` of the package. */
  readonly manifest: Table;
  /** `Cargo.toml` of the workspace around it; null where there is none. */
  readonly workspace: Table | null;
  /** Path from the package's folder to that of the workspace, such as `../..`; '' for the same. */
  readonly upToWorkspace: string;
  /** Indexes of registries by their names, from `.cargo/config.toml`. */
  readonly registries: Readonly<Record<string, string>>;
};

/** A need that users of the crate could not get. */
export type Unresolvable = { readonly name: string; readonly why: string; readonly fix: string };

/** What came of it. */
export type NormalisedCrate = {
  readonly manifest: Table;
  readonly unresolvable: readonly Unresolvable[];
  /** Fields that take something from a workspace which has none of it. */
  readonly missing: readonly string[];
  /** Readme and licence file as the manifest names them, from the package's folder; null for none. */
  readonly readme: string | null;
  readonly licenceFile: string | null;
};

/** Fields of a package that may come from the workspace ("The `package` table"). */
const inherited = [
  'authors',
  'categories',
  'description',
  'documentation',
  'edition',
  'exclude',
  'homepage',
  'include',
  'keywords',
  'license',
  'license-file',
  'publish',
  'readme',
  'repository',
  'rust-version',
  'version',
];

/** Tables of which only the root of a workspace has a use. */
const ofWorkspace: ReadonlySet<string> = new Set(['workspace', 'patch', 'replace', 'cargo-features']);

const dependencyTables = ['dependencies', 'build-dependencies', 'dev-dependencies'] as const;

/** The manifest as it goes into the crate. @param files paths of the package, to find a readme that the manifest does not name. */
export function normaliseCrate(source: CrateSource, files: ReadonlySet<string>): NormalisedCrate {
  const { manifest, workspace } = source;
  const missing: string[] = [];
  const unresolvable: Unresolvable[] = [];
  const own = inheritPackage(source, missing);
  const readme = readmeOf(own['readme'], files);
  const licenceFile = textOf(own['license-file']);
  const crate = Object.fromEntries(
    Object.entries(own).flatMap(([key, value]): [string, unknown][] => {
      if (key === 'workspace') return [];
      if (key === 'readme') return readme === null ? [[key, false]] : [[key, placeInside(readme)]];
      return [[key, key === 'license-file' && licenceFile !== null ? placeInside(licenceFile) : value]];
    }),
  );
  const withReadme = readme !== null && crate['readme'] === undefined ? { ...crate, readme } : crate;
  const tables = Object.entries(manifest).flatMap(([key, value]): [string, unknown][] => {
    if (key === 'package' || key === 'project' || ofWorkspace.has(key)) return [];
    if (isDependencyTable(key)) return tableEntry(key, needsOf(value, key, { source, missing, unresolvable }));
    if (key === 'lints' && objectOf(value)['workspace'] === true) return lintsOf(workspace, missing);
    if (key !== 'target') return [[key, value]];
    return [
      [
        key,
        Object.fromEntries(
          Object.entries(objectOf(value)).map(([target, tables]) => [
            target,
            Object.fromEntries(
              Object.entries(objectOf(tables)).flatMap(([table, needs]) =>
                isDependencyTable(table)
                  ? tableEntry(table, needsOf(needs, table, { source, missing, unresolvable }))
                  : [[table, needs]],
              ),
            ),
          ]),
        ),
      ],
    ];
  });
  return {
    manifest: { package: withReadme, ...Object.fromEntries(tables) },
    unresolvable,
    missing,
    readme,
    licenceFile,
  };
}

function isDependencyTable(name: string): boolean {
  return dependencyTables.some((table) => table === name.replace('_', '-'));
}

function tableEntry(name: string, needs: Table): [string, unknown][] {
  return Object.keys(needs).length === 0 ? [] : [[name.replace('_', '-'), needs]];
}

function inheritPackage({ manifest, workspace, upToWorkspace }: CrateSource, missing: string[]): Table {
  const own = objectOf(manifest['package'] ?? manifest['project']);
  const shared = objectOf(objectOf(workspace?.['workspace'])['package']);
  return Object.fromEntries(
    Object.entries(own).flatMap(([key, value]): [string, unknown][] => {
      if (objectOf(value)['workspace'] !== true || !inherited.includes(key)) return [[key, value]];
      const found = shared[key];
      if (found === undefined) {
        missing.push(`package.${key}`);
        return [];
      }
      // Paths in a workspace's table are relative to its folder.
      const isPath = (key === 'readme' || key === 'license-file') && typeof found === 'string';
      return [[key, isPath && upToWorkspace !== '' ? `${upToWorkspace}/${found}` : found]];
    }),
  );
}

/** A readme that is not named is looked for by its usual names; `false` means none ("The `readme` field"). */
function readmeOf(field: unknown, files: ReadonlySet<string>): string | null {
  if (field === false) return null;
  if (field === true) return 'README.md';
  return textOf(field) ?? ['README.md', 'README.txt', 'README'].find((name) => files.has(name)) ?? null;
}

/** A file from a folder above lies at the top of the crate. */
export function placeInside(path: string): string {
  const clean = path.replace(/^(?:\.\/)+/, '');
  return clean.startsWith('../') ? (clean.split('/').at(-1) ?? clean) : clean;
}

function lintsOf(workspace: Table | null, missing: string[]): [string, unknown][] {
  const lints = objectOf(workspace?.['workspace'])['lints'];
  if (lints !== undefined) return [['lints', lints]];
  missing.push('lints');
  return [];
}

type Needs = { readonly source: CrateSource; readonly missing: string[]; readonly unresolvable: Unresolvable[] };

function needsOf(table: unknown, tableName: string, needs: Needs): Table {
  return Object.fromEntries(
    Object.entries(objectOf(table)).flatMap(([name, value]): [string, unknown][] => {
      const whole = inheritNeed(name, value, needs);
      const need =
        whole === null ? null : publishedNeed(name, whole, { isDevelopment: tableName.startsWith('dev'), ...needs });
      return need === null ? [] : [[name, need]];
    }),
  );
}

/** `{ workspace = true }` takes the workspace's entry; features add up, and whether it is optional is the package's own matter. */
function inheritNeed(name: string, value: unknown, { source, missing }: Needs): unknown {
  const own = objectOf(value);
  if (own['workspace'] !== true) return value;
  const shared = objectOf(objectOf(source.workspace?.['workspace'])['dependencies'])[name];
  if (shared === undefined) {
    missing.push(`dependencies.${name}`);
    return null;
  }
  const entry = typeof shared === 'string' ? { version: shared } : objectOf(shared);
  const features = [...listOf(entry['features']), ...listOf(own['features'])];
  const { workspace: _, features: __, ...rest } = own;
  return { ...entry, ...rest, ...(features.length === 0 ? {} : { features: [...new Set(features)] }) };
}

function listOf(value: unknown): unknown[] {
  return Array.isArray(value) ? value : [];
}

/** A need as users can get it: by its version, from a registry. Null for one that only developers have. */
function publishedNeed(
  name: string,
  value: unknown,
  { isDevelopment, source, unresolvable }: Needs & { readonly isDevelopment: boolean },
): unknown {
  if (typeof value === 'string') return value;
  const { path, git, branch: _, tag: __, rev: ___, registry, 'registry-index': index, ...rest } = objectOf(value);
  if (textOf(rest['version']) === null && (path !== undefined || git !== undefined)) {
    // A crate for tests beside it: whoever uses this crate never runs them.
    if (isDevelopment) return null;
    const from = path === undefined ? `the git repository ${String(git)}` : `the folder ${String(path)}`;
    unresolvable.push({ name, why: `it comes from ${from} alone`, fix: `Add \`version\` to ${name} in Cargo.toml` });
    return null;
  }
  if (typeof registry !== 'string') return index === undefined ? rest : { ...rest, 'registry-index': index };
  const known = source.registries[registry];
  if (known === undefined) {
    unresolvable.push({
      name,
      why: `it comes from the registry "${registry}", whose index is not known`,
      fix: `Commit .cargo/config.toml with [registries.${registry}] and its \`index\``,
    });
    return null;
  }
  return { ...rest, 'registry-index': known };
}
