import { expect, it } from 'vitest';
import { describeJar } from '../../../src/core/form/jar/describe-jar.ts';

const jar = (
  majors: readonly number[],
  fileName = 'tidemark-jvm-1.4.0.jar',
  manifest = 'Manifest-Version: 1.0\r\n\r\n',
) =>
  describeJar({
    fileName,
    container: 'zip',
    entries: [],
    texts: new Map([['META-INF/MANIFEST.MF', manifest]]),
    control: new Map(),
    comment: null,
    binaries: new Map([
      ['lib.so', { type: 'elf' } as never],
      ...majors.map((major, index) => [`A${index}.class`, { type: 'classes', major }] as const),
    ]),
  });

it.each<[readonly number[], readonly string[]]>([
  [[], []],
  [[52], ['Java 8 and newer, 1 class']],
  [[52, 61, 55], ['Java 17 and newer, 3 classes']],
  [[61, 52], ['Java 17 and newer, 2 classes']],
])('a jar with classes of the versions %j is for %j', (majors, targets) => {
  expect(jar(majors)?.targets).toEqual(targets);
});

it.each([
  ['tidemark-jvm-1.4.0.jar', 'jar'],
  ['tidemark-jvm-1.4.0-sources.jar', 'sources-jar'],
  ['tidemark-jvm-1.4.0-javadoc.jar', 'documentation-jar'],
  ['tidemark-sources-1.4.0.jar', 'jar'],
])('%s is of the form %s', (fileName, form) => {
  expect(jar([], fileName)?.form).toBe(form);
});

it.each([
  ['c'.repeat(40), 'c'.repeat(40)],
  ['main', null],
  ['c'.repeat(39), null],
])('a jar built from %s says the commit %j', (text, commit) => {
  expect(jar([], 'a.jar', `Manifest-Version: 1.0\r\nSource-Commit: ${text}\r\n\r\n`)?.commit).toBe(commit);
});
