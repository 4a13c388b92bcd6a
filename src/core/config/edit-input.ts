import { isMap, isScalar, isSeq, type Pair, type Scalar, type YAMLMap } from 'yaml';
import { composeYaml } from '../text/yaml.ts';
import { parseConfig } from './parse-config.ts';

/** An input, and what it gets in the file. */
export type InputEdit = {
  readonly package: string;
  /** Which of the package's inputs, counted from 0. */
  readonly index: number;
  readonly sha256: string;
  /** Null to leave it as it is. */
  readonly version: string | null;
};

/**
 * Writes the checksum of an input, and maybe its version, into the text of bevelstone.yaml; everything else keeps its place.
 * @returns null where the input is not written out there, as behind an alias: only its author can say what to change then.
 */
export function editInput(text: string, edit: InputEdit): string | null {
  const path = ['packages', edit.package, 'inputs', edit.index];
  const document = composeYaml(text, { version: '1.2' });
  const list = document.getIn(path.slice(0, -1), true);
  const node = isSeq(list) ? list.items[edit.index] : null;
  if (!isMap(node)) return null;
  const wanted = [
    ['sha256', edit.sha256] as const,
    ...(edit.version === null ? [] : [['version', edit.version] as const]),
  ];
  const changes = wanted.map(([key, value]) => change({ text, node, key, value }));
  if (changes.some((one) => one === null)) return null;
  const ordered = changes.flatMap((one) => one ?? []).sort((a, b) => b.from - a.from);
  const edited = ordered.reduce((all, { from, to, write }) => all.slice(0, from) + write + all.slice(to), text);
  const read = parseConfig(edited, 'bevelstone.yaml').packages[edit.package]?.inputs[edit.index];
  const isAsWanted = read?.sha256 === edit.sha256 && (edit.version === null || read.version === edit.version);
  return isAsWanted ? edited : null;
}

type Change = { readonly from: number; readonly to: number; readonly write: string };

function change({
  text,
  node,
  key,
  value,
}: {
  readonly text: string;
  readonly node: YAMLMap;
  readonly key: string;
  readonly value: string;
}): Change | null {
  const pair = node.items.find((item) => isScalar(item.key) && item.key.value === key);
  if (pair !== undefined) {
    const range = isScalar(pair.value) ? pair.value.range : null;
    return range ? { from: range[0], to: range[1], write: JSON.stringify(value) } : null;
  }
  const last = node.items.at(-1) as Pair<Scalar, Scalar> | undefined;
  const [first] = node.items as readonly Pair<Scalar, Scalar>[];
  const end = (last?.value as { readonly range?: readonly number[] } | null)?.range?.[1];
  const start = first?.key.range?.[0];
  if (end === undefined || start === undefined) return null;
  if (node.flow === true) return { from: end, to: end, write: `, ${key}: ${JSON.stringify(value)}` };
  const indent = ' '.repeat(start - (text.lastIndexOf('\n', start - 1) + 1));
  // Before the first key: what stands behind the last one may go on over several lines.
  return { from: start, to: start, write: `${key}: ${JSON.stringify(value)}\n${indent}` };
}
