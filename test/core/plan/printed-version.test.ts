import { expect, it } from 'vitest';
import { wrongPrintedVersion } from '../../../src/core/plan/printed-version.ts';

it.each([
  ['tidemark --version', ['tidemark 1.4.0'], null],
  ['tidemark --version', ['v1.4.0 (built 2026)'], null],
  ['tidemark --version', ['1.4'], null],
  ['tidemark --version', ['tidemark, version 2.0.0rc1'], null],
  ['npx tidemark --version', ['1.3.2'], 'it prints 1.3.2, and 1.4.0 was installed'],
  ['./node_modules/.bin/tidemark --version', ['tidemark 1.3.2'], 'it prints 1.3.2, and 1.4.0 was installed'],
  ['tidemark --version', ['no number'], null],
  ['node --version', ['v20.20.0'], null],
  ['tidemark --version --verbose', ['1.3.2'], null],
  ['tidemark heights', ['1.3.2'], null],
])('%s with %j: %s', (line, output, wrong) => {
  expect(wrongPrintedVersion(line, output, ['1.4.0', '2.0.0-rc.1'])).toBe(wrong);
});
