import type { ConsumerLine } from '../../core/protocol/offer.ts';
import { cleanLines, cleanText } from '../../core/text/clean.ts';
import type { ReleaseLines } from '../../flow/ledger/lines.ts';
import { type Screen, sign } from './screen.ts';

/** Each text as it is pasted, below where it goes. */
export function renderLines(
  { package: name, version, lines, setUp, withdrawals }: ReleaseLines,
  screen: Screen,
): string {
  const { bold } = screen.colours;
  const back = withdrawals.map(
    ({ destination, how, at, reason }) =>
      `${sign('warning', screen)} ${how} at ${cleanText(destination)} on ${at.slice(0, 10)}: ${cleanText(reason)}`,
  );
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
  return parts.join('\n\n');
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
