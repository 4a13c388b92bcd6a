// What a survey remembers is compared with what git says, on random histories that are changed in every way that people have.
import { appendFileSync, existsSync, mkdirSync, readFileSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { Amendments } from '../../../src/core/history/meaning.ts';
import { packagesByPath } from '../../../src/core/history/touch.ts';
import type { Walk } from '../../../src/core/history/walk.ts';
import { readWalk } from '../../../src/flow/survey/remembered-history.ts';
import { isFull } from '../../builders/extent.ts';
import { TestRepository, testEnvironment } from '../../builders/repository.ts';

const people = ['fix: low water', 'feat(log)!: levels\n\nBREAKING CHANGE: metres', 'docs: tables (#12)', 'tidy up'];

type Step = { readonly what: (typeof steps)[number]; readonly pick: number };

const steps = [
  ...(['commit', 'commit', 'commit', 'branch', 'merge', 'octopus', 'revert', 'pick', 'record', 'rewrite'] as const),
  ...(['end', 'end here', 'no end', 'weights', 'amend', 'remove', 'damage', 'cut', 'collect'] as const),
];

/** A repository with what surveys of it are asked. */
class Desk {
  readonly r = new TestRepository({ 'packages/a/x': '1\n' });
  readonly cache = path.join(this.r.folder, '.git/bevelstone/history-cache');
  ids = [this.r.head];
  end: string | null = null;
  unmarkedWeight: 'patch' | 'none' = 'none';
  amend: Record<string, { kind: string }> = {};

  act({ what, pick }: Step): void {
    const { r, ids } = this;
    const some = (back: number) => ids[(pick * 7 + back) % ids.length] ?? r.head;
    const paths =
      [[`packages/a/${pick % 5}`], [`packages/b/${pick % 3}`, 'packages/a/y'], ['README.md'], []][pick % 4] ?? [];
    const commit = (message: string, parents?: string[]) =>
      ids.push(r.commit(message, { paths, ...(parents === undefined ? {} : { parents }) }));
    const acts: Record<Step['what'], () => unknown> = {
      commit: () => commit(people[pick % people.length] ?? ''),
      branch: () => commit('fix: on another line', [some(1)]),
      merge: () => commit('Merge a line', [r.head, some(2)]),
      octopus: () => commit('Merge lines', [some(1), r.head, some(3), some(5)]),
      revert: () => commit(`Revert "x"\n\nThis reverts commit ${some(2).slice(0, 7 + (pick % 34))}.`),
      pick: () => commit(`fix: picked\n\n(cherry picked from commit ${some(3)})`),
      record: () => commit('chore: release\n\nBevelstone-Release: a@1.0.0'),
      rewrite: () => r.git('update-ref', 'refs/heads/main', some(4)),
      end: () => {
        this.end = some(3);
      },
      'end here': () => {
        this.end = r.head;
      },
      'no end': () => {
        this.end = null;
      },
      weights: () => {
        this.unmarkedWeight = this.unmarkedWeight === 'none' ? 'patch' : 'none';
      },
      amend: () => {
        this.amend = { [some(1)]: { kind: 'feat' } };
      },
      remove: () => rmSync(this.cache, { force: true }),
      damage: () => this.#damage(pick),
      cut: () => existsSync(this.cache) && truncateSync(this.cache, readFileSync(this.cache).length >> 1),
      collect: () => r.git('gc', '--quiet', '--prune=now'),
    };
    acts[what]();
    // What a rewrite left behind may be gone.
    if (what === 'collect')
      this.ids = r
        .git('rev-list', '--all')
        .split('\n')
        .concat(this.end !== null && this.#isHere(this.end) ? this.end : []);
    if (this.end !== null && !this.#isHere(this.end)) this.end = null;
  }

  #isHere(id: string): boolean {
    return this.r.git('cat-file', '--batch-check', '--batch-all-objects').includes(id);
  }

  #damage(pick: number): void {
    if (!existsSync(this.cache)) return;
    const bytes = readFileSync(this.cache);
    const at = (pick * 7919) % bytes.length;
    bytes[at] = (bytes[at] ?? 0) ^ 1;
    writeFileSync(this.cache, bytes);
  }

  /** What a survey sees, with or without what others remembered. */
  async walk(isRemembering: boolean): Promise<unknown> {
    const { r, end, unmarkedWeight, amend } = this;
    const meaning = {
      weights: { breaking: 'major', feat: 'minor', fix: 'patch' },
      patterns: [],
      unmarkedWeight,
    } as const;
    const rules = {
      owners: packagesByPath(['a', 'b'].map((name) => ({ folder: `packages/${name}`, also: [] }))),
      isWriteBackPath: (file: string) => file.endsWith('y'),
      meaning,
      amendments: new Amendments(amend),
      keepOthers: true,
    };
    const place = { folder: r.folder, env: testEnvironment() };
    const repository = { place, root: r.folder, commonFolder: path.join(r.folder, '.git') } as never;
    const build = isRemembering ? 'this program' : null;
    const question = { repository, commit: r.head, end, rules, build, facts: [meaning, amend] };
    const walk = await readWalk(question, { from: 0, upTo: 1000 });
    return { ...seenOf(walk), unknown: rules.amendments.unknown() };
  }
}

function seenOf(walk: Walk) {
  const { graph, others, notes } = walk;
  const touching = [...walk.touching()].map(({ index, author, touched, meaning, isRecord }) => {
    const { how, weight, items, references } = meaning;
    const said = items.map(({ kind, scope, summary, breaking, weight: own }) => [kind, scope, summary, breaking, own]);
    return [index, author, touched, isRecord, how, weight, said, references];
  });
  const commits = Array.from({ length: graph.size }, (_, index) => [graph.idOf(index), graph.parentIds(index)]);
  return { commits, parents: commits.map((_, index) => graph.parents(index)), touching, others, notes };
}

it('what is remembered never changes what a survey sees, and git would give the same order', async () => {
  const step = fc.record({ what: fc.constantFrom(...steps), pick: fc.nat(200) });
  await fc.assert(
    fc.asyncProperty(fc.array(step, { minLength: 5, maxLength: 18 }), async (all) => {
      const desk = new Desk();
      for (const one of all) {
        desk.act(one);
        const [remembered, read] = [await desk.walk(true), await desk.walk(false)];
        expect(remembered).toEqual(read);
        const range = desk.end === null ? ['HEAD'] : ['HEAD', `^${desk.end}`];
        const order = desk.r
          .git('rev-list', '--topo-order', ...range)
          .split('\n')
          .filter(Boolean);
        expect((remembered as ReturnType<typeof seenOf>).commits.map(([id]) => id)).toEqual(order);
      }
    }),
    { numRuns: isFull ? 200 : 20 },
  );
});

it('is read from the file, is added to, and is written anew when most of it is released', async () => {
  const desk = new Desk();
  for (let pick = 0; pick < 20; pick++) desk.act({ what: 'commit', pick: pick * 4 });
  await desk.walk(true);
  const first = readFileSync(desk.cache, 'latin1');
  desk.act({ what: 'commit', pick: 4 });
  await desk.walk(true);
  const second = readFileSync(desk.cache, 'latin1');
  desk.act({ what: 'end here', pick: 0 });
  desk.act({ what: 'commit', pick: 8 });
  await desk.walk(true);
  const third = readFileSync(desk.cache, 'latin1');

  expect(first).toContain('low water');
  expect(second.startsWith(first)).toBe(true);
  expect(second.length).toBeGreaterThan(first.length);
  expect(third.length).toBeLessThan(first.length);
});

it('two surveys that add to it at the same time do not disturb each other', async () => {
  const desk = new Desk();
  desk.act({ what: 'commit', pick: 4 });
  await desk.walk(true);
  const before = readFileSync(desk.cache, 'latin1');
  desk.act({ what: 'commit', pick: 8 });
  await desk.walk(true);
  // The same addition by someone who began with the same file.
  appendFileSync(desk.cache, readFileSync(desk.cache).subarray(before.length));
  desk.act({ what: 'commit', pick: 12 });

  expect(await desk.walk(true)).toEqual(await desk.walk(false));
});

it('is written anew when something in it is damaged, and is whole then', async () => {
  const desk = new Desk();
  const commit = (pick: number) => desk.act({ what: 'commit', pick: pick * 4 });
  for (let pick = 0; pick < 20; pick++) commit(pick);
  await desk.walk(true);
  const first = readFileSync(desk.cache).length;
  commit(1);
  await desk.walk(true);
  const bytes = readFileSync(desk.cache);
  bytes[first + 40] = (bytes[first + 40] ?? 0) ^ 1;
  writeFileSync(desk.cache, bytes);
  commit(2);
  await desk.walk(true);
  const anew = readFileSync(desk.cache);
  commit(3);
  expect(await desk.walk(true)).toEqual(await desk.walk(false));

  const added = readFileSync(desk.cache);
  expect(anew.subarray(0, first)).not.toEqual(bytes.subarray(0, first));
  expect(added.subarray(0, anew.length)).toEqual(anew);
  expect(added.length).toBeGreaterThan(anew.length);
});

it('is not used where parents are grafted', async () => {
  const desk = new Desk();
  for (let pick = 0; pick < 4; pick++) desk.act({ what: 'commit', pick: pick * 4 });
  await desk.walk(true);
  mkdirSync(path.join(desk.r.folder, '.git/info'), { recursive: true });
  writeFileSync(path.join(desk.r.folder, '.git/info/grafts'), `${desk.r.head}\n`);

  expect(await desk.walk(true)).toEqual(await desk.walk(false));
});
