/** Lines of clients that say nothing of the reason: advice, frames, where a log is. */
const idle = [
  /^(?:hint|note): /i,
  /^\[end of output\]$/,
  /^[×╰│─>]/u,
  /A complete log of this run/,
  /^(?:npm )?notice\b/,
  /^Note that you can/,
  /^tarball, folder, http url/,
  /^code E[A-Z0-9]+$/,
  /^\d{3}$/,
  /^Traceback /,
  /^File "/,
  /^[ ^~]*$/,
];

/** How many lines of a reason are shown. */
const mostLines = 3;

/** What a client gave as the reason of a failure, in at most three lines of its output: what it repeats and its advice are left out. */
export function reasonIn(printed: string): string {
  const lines = printed
    // Colours of a terminal (ECMA-48).
    .replace(/\u001b\[[0-9;]*m/g, '')
    .split('\n')
    .map((line) =>
      line
        .replace(/^(?:npm (?:error|ERR!)|error:|ERROR:)\s?/i, '')
        .replace(/^\d{3} +/, '')
        .trim(),
    )
    .filter((line) => line !== '' && !idle.some((pattern) => pattern.test(line)));
  const unique = [...new Set(lines)];
  const telling = unique.filter((line) =>
    /error|fail|not found|could not|cannot|denied|missing|unknown|no such/i.test(line),
  );
  const shown = telling.length > 0 ? telling : unique.slice(-mostLines);
  return shown.slice(0, mostLines).join('\n') || 'it printed nothing';
}
