import { readFileSync } from 'node:fs';
import path from 'node:path';
import { expect, it } from 'vitest';
import { formatFromSource } from '../../../src/core/form/source-archive/from-source.ts';
import { formInput } from '../../builders/form-input.ts';

const docs = path.join(import.meta.dirname, '../../../docs');
const schema = JSON.parse(readFileSync(path.join(docs, 'from-source.schema.json'), 'utf8'));

it('has the fields of its schema, and so has the example in the docs', () => {
  const written = JSON.parse(formatFromSource(formInput('source-archive', {}).fromSource('')));
  const [, text = ''] = /```json\n([^`]+)```/.exec(readFileSync(path.join(docs, 'from-source.md'), 'utf8')) ?? [];
  const example = JSON.parse(text);

  for (const source of [written, example]) {
    expect(Object.keys(source)).toEqual(schema.required);
    expect(source.schema).toBe(schema.properties.schema.const);
    expect(source.commit).toMatch(new RegExp(schema.properties.commit.pattern));
  }
  expect(Object.keys(schema.properties)).toEqual(schema.required);
  expect(Object.keys(example.steps[0])).toEqual(schema.properties.steps.items.required);
  expect(Object.keys(example.install[0]).sort()).toEqual([...schema.properties.install.oneOf[1].items.required].sort());
});
