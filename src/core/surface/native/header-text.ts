/** Attributes of compilers, which say nothing about types. */
const attribute = /^(?:__attribute__|__attribute|__declspec|__asm__|__asm|asm|_Alignas|alignas|\[\[)/;
const plainWords =
  /^(?:extern|__extension__|inline|__inline__|__inline|static|_Noreturn|__restrict|__restrict__|restrict|__cdecl|__stdcall|__fastcall|noexcept)$/;

/** Whether what a macro stands for is nothing but attributes, so that a declaration means the same without it. */
function isDecoration(value: string, known: ReadonlySet<string>): boolean {
  let rest = value.trim();
  while (rest !== '') {
    const word = /^\w+/.exec(rest)?.[0] ?? '';
    if (rest.startsWith('[[')) rest = rest.slice(Math.max(2, rest.indexOf(']]') + 2));
    else if (attribute.test(rest)) rest = withoutCall(rest, word.length);
    else if (plainWords.test(word) || known.has(word)) rest = withoutCall(rest, word.length);
    else return false;
    rest = rest.trim();
  }
  return true;
}

/** What follows a word and its arguments, if it has any. */
function withoutCall(text: string, from: number): string {
  const open = /^\s*\(/.exec(text.slice(from))?.[0].length;
  return open === undefined ? text.slice(from) : text.slice(closing(text, from + open - 1));
}

/** Where the bracket that opens at a place is closed, and one further. */
function closing(text: string, open: number): number {
  let depth = 0;
  for (let at = open; at < text.length; at++) {
    if (text[at] === '(') depth++;
    if (text[at] === ')' && --depth === 0) return at + 1;
  }
  return text.length;
}

const define = /^[ \t]*#[ \t]*define[ \t]+(\w+)(\([^)]*\))?[ \t]*((?:\\\r?\n|[^\n])*)$/gm;

/** Macros of these headers that only decorate declarations, such as one for exported names. */
export function decorations(headers: readonly string[]): Set<string> {
  const values = new Map<string, string[]>();
  for (const header of headers)
    for (const [, name = '', , value = ''] of withoutComments(header).matchAll(define))
      values.set(name, [...(values.get(name) ?? []), value.replace(/\\\r?\n/g, ' ')]);
  const found = new Set<string>();
  // One may stand for another.
  for (let before = -1; before !== found.size; ) {
    before = found.size;
    // What one compiler sees as nothing is nothing to users of the others, either.
    for (const [name, all] of values) if (all.some((value) => isDecoration(value, found))) found.add(name);
  }
  return found;
}

/** The text with spaces in place of comments. */
function withoutComments(text: string): string {
  return text.replace(/\/\*[\s\S]*?\*\/|\/\/[^\n]*|"(?:\\.|[^"\\\n])*"/g, (found) =>
    found.startsWith('"') ? found : found.replace(/[^\n]/g, ' '),
  );
}

/** A header as a parser of C understands it: without what is for C++ alone, and without decorations; lines stay where they are. */
export function plainHeader(text: string, known: ReadonlySet<string>): string {
  const lines = withoutCpp(withoutComments(text).split('\n'));
  let isContinued = false;
  return lines
    .map((line) => {
      const isDirective = isContinued || /^\s*#/.test(line);
      isContinued = isDirective && line.trimEnd().endsWith('\\');
      // A compiler of GNU lets the last parameters of a macro have a name.
      if (isDirective) return line.replace(/\b\w+\.\.\.\)/, '...)');
      return isMacroAlone(line) ? '' : blank(unwrapped(line), known);
    })
    .join('\n');
}

/** A line that is nothing but a macro, such as one that opens `extern "C"`. */
function isMacroAlone(line: string): boolean {
  return /^\s*[A-Z][A-Z0-9_]*\s*;?\s*$/.test(line) ? !/_T\b/.test(line) : makesDeclarations(line);
}

const makesDeclarations = (line: string) => /^[A-Z][A-Z0-9_]{3,}(?:_\w+)?\s*\([^;{]*\)\s*;?\s*$/.test(line);

/** Macros of a header that stand for whole declarations: what they declare is not read. */
export function declaringMacros(text: string): string[] {
  const lines = withoutComments(text).split('\n').filter(makesDeclarations);
  return [...new Set(lines.map((line) => /^\w+/.exec(line)?.[0] ?? ''))];
}

/** `OF((int a))`, by which headers hide parameters from very old compilers. */
function unwrapped(line: string): string {
  const found = /\b[A-Z_]{1,12}\s*\(\(/.exec(line);
  if (found === null || !line.includes('))', found.index)) return line;
  const at = line.lastIndexOf('))');
  return `${line.slice(0, found.index)}(${line.slice(found.index + found[0].length, at)}) ${line.slice(at + 2)}`;
}

/** Blanks the branches that only C++ compilers see. */
function withoutCpp(lines: readonly string[]): string[] {
  const stack: ('cpp' | 'c' | 'other')[] = [];
  return lines.map((line) => {
    const directive = /^\s*#\s*(ifdef|ifndef|if|elif|else|endif)\b(.*)$/.exec(line);
    const isHidden = () => stack.includes('cpp');
    if (directive === null) return isHidden() ? '' : line;
    const [, word = '', rest = ''] = directive;
    const isCpp = /^\s*(?:defined\s*\(?\s*)?__cplusplus\s*\)?\s*(?:>=?\s*\d+L?\s*)?$/.test(rest);
    const isNotCpp = /^\s*!\s*defined\s*\(?\s*__cplusplus\s*\)?\s*$/.test(rest);
    if (word === 'ifdef' || word === 'if' || word === 'ifndef') {
      const own = word === 'ifndef' ? (isCpp ? 'c' : 'other') : isCpp ? 'cpp' : isNotCpp ? 'c' : 'other';
      stack.push(own);
      return own === 'other' && !stack.slice(0, -1).includes('cpp') ? line : '';
    }
    const top = stack.at(-1) ?? 'other';
    if (word === 'endif') {
      stack.pop();
      return top === 'other' && !isHidden() ? line : '';
    }
    if (top !== 'other') stack[stack.length - 1] = top === 'cpp' ? 'c' : 'cpp';
    return top === 'other' && !isHidden() ? line : '';
  });
}

function blank(line: string, known: ReadonlySet<string>): string {
  let result = '';
  for (let at = 0; at < line.length; ) {
    const word = /^\w+/.exec(line.slice(at, at + 256))?.[0] ?? '';
    const isAttribute = /^(?:__attribute__|__attribute|__declspec|__asm__|__asm|asm)$/.test(word);
    const isWord =
      /^(?:__extension__|__restrict|__restrict__|restrict|_Noreturn|__inline__|__inline|__cdecl|__stdcall|__fastcall)$/.test(
        word,
      );
    if (word !== '' && (isAttribute || isWord || known.has(word))) {
      const rest = isWord ? line.slice(at + word.length) : withoutCall(line.slice(at), word.length);
      result += ' '.repeat(line.length - at - rest.length);
      at = line.length - rest.length;
    } else {
      result += word === '' ? line[at] : word;
      at += word === '' ? 1 : word.length;
    }
  }
  return result;
}
