import type { StepConfig } from '../../core/config/config.ts';
import type { Origin } from '../../core/contents/entry.ts';
import { outPrefix } from '../../core/contents/select.ts';
import type { ListedFile } from '../../world/list-files.ts';

/** What is known of a package's files before its first step runs. */
export type OriginFacts = {
  /** Folder of the package in the repository, '' for the root. */
  readonly folder: string;
  readonly commit: string;
  /** Paths at the commit, from the repository's root. */
  readonly tracked: Pick<ReadonlySet<string>, 'has'>;
  /** Files inside the folder that the version was written into. */
  readonly stamped: ReadonlySet<string>;
  /** Names of inputs by the files that they brought, inside the folder. */
  readonly inputs: ReadonlyMap<string, string>;
};

/** Remembers which files were at the commit and which step wrote the others. */
export class Origins {
  readonly #facts: OriginFacts;
  readonly #seen: Map<string, string>;
  readonly #steps = new Map<string, string>();

  /** @param files what is there before the first step. */
  constructor(facts: OriginFacts, files: readonly ListedFile[]) {
    this.#facts = facts;
    this.#seen = new Map(files.map((file) => [file.path, file.stamp]));
  }

  /** Files that are new or changed since the last look come from this step. */
  after(step: StepConfig, files: readonly ListedFile[]): void {
    for (const { path: file, stamp } of files) {
      if (this.#seen.get(file) === stamp) continue;
      this.#seen.set(file, stamp);
      this.#steps.set(file, step.name);
    }
  }

  /** @param file path inside the package's folder, or below `{out}/`. */
  of(file: string): Origin {
    const { folder, commit, tracked, stamped, inputs } = this.#facts;
    const full = folder === '' || file.startsWith(outPrefix) ? file : `${folder}/${file}`;
    const step = this.#steps.get(file);
    if (step !== undefined) return { type: 'step', path: full, step };
    const input = inputs.get(file);
    if (input !== undefined) return { type: 'input', path: full, input };
    if (!tracked.has(full)) return { type: 'generated' };
    return { type: 'source', path: full, commit, stamped: stamped.has(file) };
  }
}
