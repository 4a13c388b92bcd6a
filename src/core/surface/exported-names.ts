import type { DeclarationFacts } from '../facts/declarations.ts';
import type { ScriptFacts } from '../facts/script.ts';

/** Names found, and whether they are all. */
export type Names = { readonly names: ReadonlySet<string>; readonly isComplete: boolean };

/** Names that exist at run time, and those that exist for the type checker only. */
export type DeclaredNames = Names & { readonly types: ReadonlySet<string> };

/** How many files may still be followed: files that hand on each other's names have more paths between them than can be walked. */
export type Patience = { left: number };

const ordinaryPatience = 5000;
const deepest = 300;

/** Whether following goes on. */
function isPatient(patience: Patience, seen: ReadonlySet<string>): boolean {
  return --patience.left >= 0 && seen.size < deepest;
}

/**
 * Names that a script exports at run time, through the files whose names it hands on.
 * @param locate the file that a specifier leads to from a file; null for one outside of the package.
 */
export function exportedNames({
  file,
  read,
  locate,
  seen = new Set(),
  patience = { left: ordinaryPatience },
}: {
  readonly file: string;
  readonly read: (file: string) => ScriptFacts | null;
  readonly locate: (specifier: string, from: string) => string | null;
  readonly seen?: ReadonlySet<string>;
  readonly patience?: Patience;
}): Names {
  const facts = isPatient(patience, seen) ? read(file) : null;
  if (facts === null || facts.syntax === 'broken') return { names: new Set(), isComplete: false };
  const inner = facts.exports.from.map((specifier) => {
    const next = locate(specifier, file);
    if (next === null) return { names: new Set<string>(), isComplete: false };
    if (seen.has(next)) return { names: new Set<string>(), isComplete: true };
    return exportedNames({ file: next, read, locate, seen: new Set([...seen, file]), patience });
  });
  const isReexport = facts.syntax === 'module';
  // `export *` hands on everything but the default; a CommonJS file hands on the object itself.
  const names = inner.flatMap((names) => [...names.names].filter((name) => name !== 'default' || !isReexport));
  return {
    names: new Set([...facts.exports.names, ...names]),
    isComplete: facts.exports.isComplete && inner.every((names) => names.isComplete),
  };
}

/** Names that a declaration file declares. `isComplete` is false when some could not be followed. */
export function declaredNames({
  file,
  read,
  locate,
  seen = new Set(),
  patience = { left: ordinaryPatience },
}: {
  readonly file: string;
  readonly read: (file: string) => DeclarationFacts | null;
  readonly locate: (specifier: string, from: string) => string | null;
  readonly seen?: ReadonlySet<string>;
  readonly patience?: Patience;
}): DeclaredNames {
  const facts = isPatient(patience, seen) ? read(file) : null;
  if (facts === null || facts.isOneValue) return { names: new Set(), types: new Set(), isComplete: false };
  const [names, types] = [new Set(facts.values), new Set(facts.types)];
  let isComplete = true;
  const follow = (specifier: string): DeclaredNames | null => {
    const next = locate(specifier, file);
    if (next === null) return null;
    if (seen.has(next)) return { names: new Set(), types: new Set(), isComplete: true };
    return declaredNames({ file: next, read, locate, seen: new Set([...seen, file]), patience });
  };
  for (const specifier of facts.from) {
    const inner = follow(specifier);
    if (inner === null || !inner.isComplete) isComplete = false;
    for (const name of inner?.names ?? []) if (name !== 'default') names.add(name);
    for (const name of inner?.types ?? []) types.add(name);
  }
  for (const { name, original, from } of facts.handedOn) {
    const inner = follow(from);
    if (inner?.names.has(original) === true) names.add(name);
    else if (inner === null || !inner.isComplete) isComplete = false;
    else types.add(name);
  }
  return { names, types, isComplete };
}
