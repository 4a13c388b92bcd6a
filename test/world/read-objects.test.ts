import { expect, it } from 'vitest';
import { readBlobsAt } from '../../src/world/git/read-objects.ts';
import { TestRepository, testEnvironment } from '../builders/repository.ts';

it('reads many paths of a commit as it reads few', async () => {
  const files = {
    'gauges/ebb.txt': 'ebb\n',
    'gauges/flut ö.txt': 'flood\n',
    'gauges/tab\tbed.txt': '',
    'slack.txt': 'slack',
  };
  const r = new TestRepository(files);
  const place = { folder: r.folder, env: testEnvironment() };
  const commit = r.git('rev-parse', 'HEAD').trim();
  const some = [...Object.keys(files), 'gauges', 'gauges/none.txt', 'slack.txt/none', 'a\nb'];
  const many = [...some, ...Array.from({ length: 600 }, (_, index) => `none/${index}`)];

  const [few, all] = [await readBlobsAt(place, commit, some), await readBlobsAt(place, commit, many)];

  const found = (blobs: ReadonlyMap<string, Buffer | null>) =>
    [...blobs].flatMap(([path, bytes]) => (bytes === null ? [] : [[path, bytes.toString()]]));
  expect(found(few)).toEqual(Object.entries(files));
  expect(found(all)).toEqual(Object.entries(files));
  expect([few.size, all.size]).toEqual([some.length, many.length]);
});
