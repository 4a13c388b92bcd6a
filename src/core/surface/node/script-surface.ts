import { readScript, type ScriptFacts } from '../../facts/script.ts';
import { exportedNames } from '../exported-names.ts';
import { consumerOf, type NodePackage, resolveUse } from '../node-package.ts';
import type { Difference, SurfaceName } from '../surface.ts';
import { type FunctionShape, functionShapes } from './function-shapes.ts';
import { isPublicExport } from './public-name.ts';
import type { NodeTree } from './type-tree.ts';

/** What a file without declarations exports, as its code shows. */
export type ScriptNames = {
  readonly names: ReadonlyMap<string, { readonly shape: FunctionShape | null; readonly file: string }>;
  /** Whether these are all. */
  readonly isComplete: boolean;
};

/** Reads scripts of one package; each file once. */
export class ScriptReader {
  readonly #tree: NodeTree;
  readonly #package: NodePackage;
  readonly #facts = new Map<string, ScriptFacts | null>();
  readonly #shapes = new Map<string, ReadonlyMap<string, FunctionShape>>();

  constructor(tree: NodeTree, nodePackage: NodePackage) {
    [this.#tree, this.#package] = [tree, nodePackage];
  }

  /** The names that a file exports, through the files whose names it hands on. */
  names(file: string, mode: 'import' | 'require'): ScriptNames {
    const read = new Set<string>();
    const { names, isComplete } = exportedNames({
      file,
      read: (path) => {
        read.add(path);
        return this.#read(path);
      },
      locate: (specifier, from) => this.#locate(specifier, from, mode),
    });
    const shapes = new Map<string, { shape: FunctionShape; file: string }>();
    for (const path of read)
      for (const [name, shape] of this.#shapesOf(path)) if (!shapes.has(name)) shapes.set(name, { shape, file: path });
    const whole = shapes.get('module.exports');
    const all = [...names]
      .filter(isPublicExport)
      .map((name) => [name, shapes.get(name) ?? { shape: null, file }] as const);
    return {
      names: new Map(names.size === 0 && whole !== undefined ? [['module.exports', whole] as const] : all),
      isComplete: isComplete || whole !== undefined,
    };
  }

  #shapesOf(path: string): ReadonlyMap<string, FunctionShape> {
    const known = this.#shapes.get(path) ?? functionShapes(this.#tree.text(path) ?? '');
    this.#shapes.set(path, known);
    return known;
  }

  #read(path: string): ScriptFacts | null {
    const known = this.#facts.get(path);
    if (known !== undefined) return known;
    const text = this.#tree.text(path);
    const facts = text === null ? null : readScript(text);
    this.#facts.set(path, facts);
    return facts;
  }

  #locate(specifier: string, importer: string, mode: 'import' | 'require'): string | null {
    const target = resolveUse({
      specifier,
      importer,
      pkg: this.#package,
      loading:
        mode === 'import'
          ? { consumer: consumerOf('server import'), as: 'module' }
          : { consumer: consumerOf('server require'), as: 'commonjs' },
    });
    return target.type === 'file' ? target.path : null;
  }
}

/** The names as a surface lists them. */
export function scriptSurface({ names }: ScriptNames): SurfaceName[] {
  return [...names].map(([name, found]) => ({
    name,
    kind: found.shape?.kind ?? 'name',
    signature: shapeText(name, found.shape),
    place: { file: found.file, line: found.shape?.line ?? 1 },
  }));
}

/** What differs in names and parameters: code does not say which of those a caller must give. */
export function compareScripts(entry: string, old: ScriptNames, now: ScriptNames): Difference[] {
  const place = (found: { shape: FunctionShape | null; file: string }) => ({
    file: found.file,
    line: found.shape?.line ?? 1,
  });
  const gone = [...old.names].flatMap(([name, found]): Difference[] => {
    const other = now.names.get(name);
    const sides = { old: shapeText(name, found.shape), oldPlace: place(found) };
    if (other === undefined)
      return [
        {
          name,
          entry,
          effect: now.isComplete ? 'breaking' : 'unknown',
          why: now.isComplete
            ? 'it is no longer exported'
            : 'the code no longer shows it; some exports are made at run time',
          ...sides,
          new: null,
          newPlace: null,
        },
      ];
    const verdict = compareShapes(found.shape, other.shape);
    if (verdict === null) return [];
    const [effect, why] = verdict;
    return [{ name, entry, effect, why, ...sides, new: shapeText(name, other.shape), newPlace: place(other) }];
  });
  const added = [...now.names]
    .filter(([name]) => !old.names.has(name))
    .map(
      ([name, found]): Difference => ({
        name,
        entry,
        effect: old.isComplete ? 'addition' : 'unknown',
        why: old.isComplete ? 'new export' : 'the code shows it now; some exports were made at run time before',
        old: null,
        oldPlace: null,
        new: shapeText(name, found.shape),
        newPlace: place(found),
      }),
    );
  return [...gone, ...added];
}

function compareShapes(old: FunctionShape | null, now: FunctionShape | null): [Difference['effect'], string] | null {
  if (old === null || now === null || old.kind === 'variable' || now.kind === 'variable') return null;
  if (old.kind !== now.kind) return ['unknown', `it was a ${old.kind} and is a ${now.kind}`];
  const [before, after] = [old.parameters.length, now.parameters.length];
  if (before === after && old.plain === now.plain && old.hasRest === now.hasRest) return null;
  if (now.plain > old.plain)
    return ['unknown', 'it has more parameters; without declarations nothing says whether callers must give them'];
  if (after < before && !now.hasRest)
    return ['unknown', 'it has fewer parameters, so arguments of callers are ignored'];
  return after > before ? ['addition', 'new optional parameter'] : ['compatible', 'it needs fewer arguments'];
}

function shapeText(name: string, shape: FunctionShape | null): string {
  if (shape === null || shape.kind === 'variable') return name;
  const call = `${name}(${shape.parameters.join(', ')})`;
  return shape.kind === 'class' ? `class ${call}` : call;
}
