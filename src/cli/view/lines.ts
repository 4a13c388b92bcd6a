import type { ConsumerLine } from '../../core/protocol/offer.ts';
import { cleanLines, cleanText } from '../../core/text/clean.ts';
import type { ReleaseLines } from '../../flow/ledger/lines.ts';
import { type Screen, sign } from './screen.ts';

/** Each text as it is pasted, below where it goes. */
export function renderLines(result: ReleaseLines, screen: Screen): string {
  const { package: name, version, lines, setUp, sboms, withdrawals, source } = result;
  const { bold } = screen.colours;
  const back = withdrawals.map(
    ({ destination, how, at, reason }) =>
      `${sign('warning', screen)} ${how} at ${cleanText(destination)} on ${at.slice(0, 10)}: ${cleanText(reason)}`,
  );
  if (source !== null) return [...back, ...sourceParts(result, source, screen)].join('\n\n');
  if (lines.length === 0) {
    const where = withdrawals.length === 0 ? 'in bevelstone.yaml' : 'any more';
    return [`${cleanText(name)} ${cleanText(version)} is not at any destination ${where}`, ...back].join('\n\n');
  }
  const parts = [
    ...back,
    `${bold(`To install ${cleanText(name)} ${cleanText(version)}`)}`,
    ...lines.map((line) => block(line, screen)),
  ];
  if (setUp.length > 0)
    parts.push(bold('Once per machine or project'), ...setUp.map((consumerLine) => block(consumerLine, screen)));
  if (sboms.length > 0)
    parts.push(bold('What is in it, as SBOMs'), sboms.map((place) => sbomText(place, screen)).join('\n'));
  return parts.join('\n\n');
}

function sourceParts(
  { package: name, version }: ReleaseLines,
  { commit, folder, lines, without }: NonNullable<ReleaseLines['source']>,
  screen: Screen,
): string[] {
  const { bold, dim } = screen.colours;
  const where = folder === '' ? commit : `${commit}, folder ${folder}`;
  return [
    `${bold(`To build ${cleanText(name)} ${cleanText(version)} from its sources`)}\n${dim(cleanText(where))}`,
    ...lines.map((line) => block(line, screen)),
    ...without.map(
      ({ method, why }) => `${sign('nothing', screen)} no lines for ${cleanText(method)}: ${cleanText(why)}`,
    ),
  ];
}

/** An address to fetch it from, and the digest to check it by. */
function sbomText({ file, sha256, destination, address }: ReleaseLines['sboms'][number], { colours }: Screen): string {
  const where =
    destination === null
      ? 'at no destination: none of them has a place for SBOMs'
      : `${colours.cyan(cleanText(destination))} ${cleanText(address ?? file)}`;
  return `${cleanText(file)}  ${where}\n  ${colours.dim(`SHA-256 ${sha256}`)}`;
}

/** Nothing is indented: what is selected with a mouse must work as it is. */
function block({ destination, client, into, text }: ConsumerLine, { colours }: Screen): string {
  const where = into === 'shell' ? '' : `, in ${into}`;
  return `${colours.cyan(`${cleanText(destination)}`)} ${colours.dim(`with ${client}${where}`)}\n${cleanLines(text)}`;
}

/** The `result` of `ledger lines --json`. */
export function linesJson(result: ReleaseLines): unknown {
  return result;
}
