import { type GitPlace, gitFailed, type RunningGit, startGit } from './run-git.ts';

/** An object of a repository, whole. */
export type GitObject = { readonly id: string; readonly type: string; readonly bytes: Buffer };

type Question = {
  readonly take: (answer: GitObject | null) => void;
  /** How many answers it still waits for. */
  left: number;
  readonly resolve: () => void;
  readonly reject: (error: Error) => void;
};

const args = ['cat-file', '--batch'] as const;
/** So long it waits for the next question. */
const idleMs = 20_000;

/** One `git cat-file --batch`, kept running: starting git costs more than most of its answers. */
class ObjectReader {
  readonly #place: GitPlace;
  readonly #running: RunningGit;
  readonly #questions: Question[] = [];
  #head: Buffer[] = [];
  #object: { readonly id: string; readonly type: string; readonly parts: Buffer[]; left: number } | null = null;
  #timer: NodeJS.Timeout | null = null;
  #isOver = false;

  constructor({ folder, env }: GitPlace) {
    // Others ask it too, so it does not listen to the stop signal of whoever asked first.
    this.#place = { folder, env };
    this.#running = startGit(this.#place, args, { input: null });
    this.#running.child.stdout?.on('data', (chunk: Buffer) => this.#read(chunk));
    void this.#end();
  }

  /** Whether it has ended, or is about to. */
  get isOver(): boolean {
    return this.#isOver;
  }

  /** @param take gets one answer after the other, and throws nothing. */
  ask(names: readonly string[], take: Question['take']): Promise<void> {
    if (this.#timer !== null) clearTimeout(this.#timer);
    this.#hold(true);
    return new Promise((resolve, reject) => {
      this.#questions.push({ take, left: names.length, resolve, reject });
      this.#running.child.stdin?.write(`${names.join('\n')}\n`);
    });
  }

  /** The program may end while nothing is asked. */
  #hold(isHeld: boolean): void {
    const { child } = this.#running;
    for (const handle of [child, child.stdin, child.stdout, child.stderr] as ({ ref(): void; unref(): void } | null)[])
      if (isHeld) handle?.ref();
      else handle?.unref();
  }

  #read(chunk: Buffer): void {
    for (let at = 0; at < chunk.length; ) {
      if (this.#object !== null) {
        const part = chunk.subarray(at, at + this.#object.left);
        this.#object.parts.push(part);
        this.#object.left -= part.length;
        at += part.length;
        if (this.#object.left === 0) this.#finishObject(this.#object);
        continue;
      }
      const end = chunk.indexOf(10, at);
      this.#head.push(chunk.subarray(at, end === -1 ? chunk.length : end));
      if (end === -1) return;
      at = end + 1;
      const line = this.#head.length === 1 ? this.#head[0] : Buffer.concat(this.#head);
      this.#head = [];
      const [, id, type, size] = /^([0-9a-f]{40,64}) (\w+) (\d+)$/.exec(line?.toString('latin1') ?? '') ?? [];
      // What is missing, ambiguous or a submodule has no size.
      if (id === undefined || type === undefined) this.#answer(null);
      else this.#object = { id, type, parts: [], left: Number(size) + 1 };
    }
  }

  #finishObject({ id, type, parts }: { readonly id: string; readonly type: string; readonly parts: Buffer[] }): void {
    this.#object = null;
    const [first = Buffer.alloc(0)] = parts;
    const whole = parts.length === 1 ? first : Buffer.concat(parts);
    this.#answer({ id, type, bytes: whole.subarray(0, -1) });
  }

  #answer(answer: GitObject | null): void {
    const [question] = this.#questions;
    if (question === undefined) return;
    question.take(answer);
    question.left--;
    if (question.left > 0) return;
    this.#questions.shift();
    question.resolve();
    if (this.#questions.length > 0) return;
    this.#hold(false);
    this.#timer = setTimeout(() => {
      this.#isOver = true;
      this.#running.child.stdin?.end();
    }, idleMs).unref();
  }

  async #end(): Promise<void> {
    const [message, end] = await Promise.all([this.#running.message(), this.#running.end]);
    this.#isOver = true;
    if (this.#timer !== null) clearTimeout(this.#timer);
    for (const { reject } of this.#questions.splice(0)) reject(gitFailed({ args, end, message, place: this.#place }));
  }
}

/** By environment and folder: another environment may name other files of git's own configuration. */
const readers = new WeakMap<GitPlace['env'], Map<string, ObjectReader>>();

/**
 * Objects by any names that git knows, in the order of the names; null where there is none, or more than one. All questions about
 * a repository go to one git process; memory for all that is asked at once.
 * @throws like git()
 */
export async function readObjects(place: GitPlace, names: readonly string[]): Promise<(GitObject | null)[]> {
  const objects: (GitObject | null)[] = [];
  await eachObject(place, names, (object) => void objects.push(object));
  return objects;
}

/**
 * The same one by one, as they come.
 * @param take gets one for each name, in the order of the names, and throws nothing.
 * @throws like git()
 */
export async function eachObject(
  place: GitPlace,
  names: readonly string[],
  take: (object: GitObject | null, index: number) => void,
): Promise<void> {
  place.signal?.throwIfAborted();
  // A name with a line break can't be asked for this way.
  const isAsked = (name: string | undefined) => name?.includes('\n') === false;
  const asked = names.filter(isAsked);
  let next = 0;
  const passOver = () => {
    while (next < names.length && !isAsked(names[next])) take(null, next++);
  };
  passOver();
  if (asked.length === 0) return;
  const byFolder = readers.get(place.env) ?? new Map<string, ObjectReader>();
  readers.set(place.env, byFolder);
  const known = byFolder.get(place.folder);
  const reader = known === undefined || known.isOver ? new ObjectReader(place) : known;
  byFolder.set(place.folder, reader);
  try {
    await reader.ask(asked, (object) => {
      take(object, next++);
      passOver();
    });
  } finally {
    place.signal?.throwIfAborted();
  }
}

/** The same for one name. */
export async function readObject(place: GitPlace, name: string): Promise<GitObject | null> {
  return (await readObjects(place, [name]))[0] ?? null;
}

/** The id behind a name; null where there is none. */
export async function idOf(place: GitPlace, name: string): Promise<string | null> {
  return (await readObject(place, name))?.id ?? null;
}
