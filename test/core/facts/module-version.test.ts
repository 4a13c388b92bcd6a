import { expect, it } from 'vitest';
import { mayNameVersion, moduleVersions } from '../../../src/core/facts/module-version.ts';

it.each([
  ['tide_mark/__init__.py', '__version__ = "1.3.2"\n', '', '1.3.2'],
  ['tide_mark-1.4.0/src/tide_mark/_version.py', "__version__: str = '1.3.2'", 'tide_mark-1.4.0/', '1.3.2'],
  ['tide_mark-1.4.0/VERSION', 'v1.3.2\n', 'tide_mark-1.4.0/', '1.3.2'],
  ['vendored/__init__.py', '__version__ = "9.9.9"\n', '', null],
  ['tide_mark/__init__.py', '__version__ = get()\n', '', null],
  ['VERSION', 'see NEWS\n', '', null],
  ['tide_mark/other.py', '__version__ = "1.3.2"\n', '', null],
])('%s with %j says %s%s', (path, text, prefix, version) => {
  const found = moduleVersions({ texts: new Map([[path, text]]), prefix, name: 'Tide.Mark' });

  expect(found).toEqual(version === null ? [] : [{ path, version }]);
});

it('a file that is deep inside is not looked at', () => {
  expect(mayNameVersion('a/b/c/d/__init__.py')).toBe(false);
});
