/** Variables of the block that stand for the placeholders of a step. */
const variables: Readonly<Record<string, string>> = { out: 'BEVELSTONE_OUT', platform: 'BEVELSTONE_PLATFORM' };

/**
 * A command of a step as a shell can run it where the placeholders are variables: each stands in quotes that fit where it is, so
 * that a folder with blanks stays one word.
 * @param known values of the placeholders that are the same everywhere.
 */
export function shellText(run: string, known: Readonly<Record<string, string>>): string {
  const out: string[] = [];
  let quote: '' | "'" | '"' = '';
  for (let at = 0; at < run.length; at++) {
    const name = /^\{(version|commit|out|platform)\}/.exec(run.slice(at, at + 12))?.[1];
    if (name !== undefined) {
      out.push(known[name] ?? variableIn(quote, variables[name] ?? ''));
      at += name.length + 1;
      continue;
    }
    const char = run[at] ?? '';
    out.push(char);
    if (char === '\\' && quote !== "'") out.push(run[++at] ?? '');
    else if (char === quote) quote = '';
    else if (quote === '' && (char === "'" || char === '"')) quote = char;
  }
  return out.join('');
}

function variableIn(quote: '' | "'" | '"', variable: string): string {
  if (quote === '"') return `\${${variable}}`;
  return quote === "'" ? `'"$${variable}"'` : `"$${variable}"`;
}
