import { field, fieldText, lineOf, oneLine, partOf, parts, type SyntaxNode } from '../syntax/parser.ts';
import type {
  RustCommon,
  RustField,
  RustImpl,
  RustItem,
  RustModule,
  RustModuleMention,
  RustShape,
  RustTypeParameter,
  RustUse,
} from './definitions.ts';

/** What a source of Rust defines (The Rust Reference, "Items"). Items that are hidden or only for tests are left out. */
export function readRustFile(root: SyntaxNode, file: string): RustModule {
  return readBlock(root, file);
}

type Attributes = {
  readonly derives: readonly string[];
  readonly condition: string;
  readonly isHidden: boolean;
  readonly isNonExhaustive: boolean;
  readonly isExported: boolean;
  readonly layout: string;
  readonly path: string | null;
  readonly macro: string | null;
};

function attributesOf(texts: readonly string[]): Attributes {
  const inside = (name: string) =>
    texts.flatMap((text) => {
      const found = new RegExp(`^#\\[\\s*${name}\\s*\\(([\\s\\S]*)\\)\\s*\\]$`).exec(text)?.[1];
      return found === undefined ? [] : [oneLine(found)];
    });
  const conditions = inside('cfg').filter((condition) => !/^(?:not\s*\(\s*)?doc(?:srs)?\b/.test(condition));
  const path = texts.map((text) => /^#\[\s*path\s*=\s*"([^"]*)"/.exec(text)?.[1]).find((found) => found !== undefined);
  const macro = texts.map(procedureName).find((found) => found !== null);
  return {
    derives: inside('derive').flatMap((list) =>
      list
        .split(',')
        .map((one) => lastPart(one.trim()))
        .filter((one) => one !== ''),
    ),
    condition: conditions.join(', '),
    isHidden:
      inside('doc').some((text) => /\bhidden\b/.test(text)) || conditions.some((condition) => condition === 'test'),
    isNonExhaustive: texts.some((text) => /^#\[\s*non_exhaustive\s*\]$/.test(text)),
    isExported: texts.some((text) => /^#\[\s*macro_export\b/.test(text)),
    layout: inside('repr').join(', '),
    path: path ?? null,
    macro: macro ?? null,
  };
}

/** The Rust Reference, "Procedural Macros". */
function procedureName(text: string): string | null {
  const derived = /^#\[\s*proc_macro_derive\s*\(\s*(\w+)/.exec(text)?.[1];
  if (derived !== undefined) return `#[derive(${derived})]`;
  return /^#\[\s*proc_macro_attribute\s*\]$/.test(text) ? '#[]' : /^#\[\s*proc_macro\s*\]$/.test(text) ? '!' : null;
}

const lastPart = (path: string) => path.split('::').at(-1) ?? path;

/** Every word of a source, to say of a name that it may be there. */
export function wordsOf(node: SyntaxNode): ReadonlySet<string> {
  return new Set(node.text.match(/[A-Za-z_]\w*/g));
}

/** Each item with its attributes, those left out that users cannot name. */
function withAttributes(node: SyntaxNode): { readonly node: SyntaxNode; readonly attributes: Attributes }[] {
  const found: { node: SyntaxNode; attributes: Attributes }[] = [];
  let texts: string[] = [];
  for (const child of parts(node)) {
    if (child.type === 'attribute_item') texts.push(child.text);
    else {
      const attributes = attributesOf(texts);
      if (!attributes.isHidden) found.push({ node: child, attributes });
      texts = [];
    }
  }
  return found;
}

function readBlock(block: SyntaxNode, file: string): RustModule {
  const items: RustItem[] = [];
  const uses: RustUse[] = [];
  const impls: RustImpl[] = [];
  const modules: RustModuleMention[] = [];
  const calls: { name: string; words: ReadonlySet<string> }[] = [];
  for (const { node, attributes } of withAttributes(block)) {
    if (node.type === 'use_declaration') uses.push(...readUse(node));
    else if (node.type === 'impl_item') impls.push(readImpl(node, attributes));
    else if (node.type === 'mod_item') modules.push(readMention(node, { attributes, file }));
    else if (node.type === 'foreign_mod_item') items.push(...bodyItems(node));
    else if (node.type === 'expression_statement' || node.type === 'macro_invocation') {
      const call = node.type === 'macro_invocation' ? node : partOf(node, 'macro_invocation');
      const name = call === null ? null : fieldText(call, 'macro');
      if (name !== null) calls.push({ name, words: wordsOf(node) });
    } else {
      const item = readItem(node, attributes);
      if (item !== null) items.push(item);
    }
  }
  return { file, items, uses, impls, modules, calls };
}

function readMention(
  node: SyntaxNode,
  { attributes, file }: { readonly attributes: Attributes; readonly file: string },
): RustModuleMention {
  const body = field(node, 'body');
  return {
    name: fieldText(node, 'name') ?? '',
    isPublic: isPublic(node),
    condition: attributes.condition,
    path: attributes.path,
    inline: body === null ? null : readBlock(body, file),
  };
}

const isPublic = (node: SyntaxNode) => partOf(node, 'visibility_modifier')?.text === 'pub';

function bodyItems(node: SyntaxNode): RustItem[] {
  const body = field(node, 'body');
  return (body === null ? [] : withAttributes(body)).flatMap(
    ({ node: child, attributes }) => readItem(child, attributes) ?? [],
  );
}

function readImpl(node: SyntaxNode, attributes: Attributes): RustImpl {
  const trait = fieldText(node, 'trait');
  // `impl !Send for X` says that it is not one.
  const isNegative = node.children.some(({ type }) => type === '!');
  return {
    type: fieldText(node, 'type') ?? '',
    trait: trait === null ? null : isNegative ? `!${trait}` : trait,
    typeParameters: commonOf(node, attributes).typeParameters,
    items: bodyItems(node),
    line: lineOf(node),
    condition: attributes.condition,
  };
}

const maxUses = 10_000;

function readUse(node: SyntaxNode): RustUse[] {
  const found: RustUse[] = [];
  const own = isPublic(node);
  const line = lineOf(node);
  const follow = (part: SyntaxNode, before: readonly string[]): void => {
    if (found.length > maxUses) return;
    const segments = (text: string) =>
      text
        .split('::')
        .map((one) => one.trim())
        .filter((one) => one !== '');
    if (part.type === 'use_list') for (const child of parts(part)) follow(child, before);
    else if (part.type === 'scoped_use_list') {
      const list = field(part, 'list');
      if (list !== null) follow(list, [...before, ...segments(fieldText(part, 'path') ?? '')]);
    } else if (part.type === 'use_wildcard')
      found.push({
        path: [...before, ...segments(part.text.replace(/::\s*\*$|^\*$/, ''))],
        name: null,
        isPublic: own,
        line,
      });
    else if (part.type === 'use_as_clause')
      found.push({
        path: [...before, ...segments(fieldText(part, 'path') ?? '')],
        name: fieldText(part, 'alias') ?? '',
        isPublic: own,
        line,
      });
    else {
      const path = [...before, ...segments(part.text)];
      // `use a::{self}` names the module itself.
      const plain = path.at(-1) === 'self' && path.length > 1 ? path.slice(0, -1) : path;
      found.push({ path: plain, name: plain.at(-1) ?? '', isPublic: own, line });
    }
  };
  const argument = field(node, 'argument');
  if (argument !== null) follow(argument, []);
  return found;
}

function readItem(node: SyntaxNode, attributes: Attributes): RustItem | null {
  const common = commonOf(node, attributes);
  switch (node.type) {
    case 'function_item':
    case 'function_signature_item':
      return readFunction(node, common, attributes);
    case 'struct_item':
    case 'union_item': {
      const body = field(node, 'body');
      return { ...common, kind: node.type === 'struct_item' ? 'struct' : 'union', ...fieldsOf(body, false) };
    }
    case 'enum_item':
      return { ...common, kind: 'enum', variants: variantsOf(node) };
    case 'trait_item': {
      const isUnsafe = node.children.some(({ type }) => type === 'unsafe');
      const above = fieldText(node, 'bounds')?.replace(/^:\s*/, '') ?? '';
      return { ...common, kind: 'trait', items: bodyItems(node), above: splitTop(above, '+'), isUnsafe };
    }
    case 'const_item':
    case 'static_item':
      return {
        ...common,
        kind: node.type === 'const_item' ? 'constant' : 'static',
        type: plainType(`${partOf(node, 'mutable_specifier') === null ? '' : 'mut '}${fieldText(node, 'type') ?? ''}`),
        hasBody: field(node, 'value') !== null,
      };
    case 'type_item':
    case 'associated_type':
      return {
        ...common,
        kind: 'type',
        type: plainType(fieldText(node, 'type') ?? ''),
        hasBody: field(node, 'type') !== null,
      };
    case 'macro_definition': {
      const rules = node.namedChildren.filter(({ type }) => type === 'macro_rule');
      const patterns = rules.map((rule) => fieldText(rule, 'left') ?? '');
      return { ...common, kind: 'macro', isPublic: attributes.isExported, patterns };
    }
    default:
      return null;
  }
}

function commonOf(node: SyntaxNode, attributes: Attributes): RustCommon {
  const { condition, isNonExhaustive, layout, derives } = attributes;
  const list = field(node, 'type_parameters');
  const declared =
    list === null
      ? []
      : parts(list).filter(({ type }) =>
          /type_parameter$|^const_parameter$|^type_identifier$|^optional_type_parameter$|^constrained_type_parameter$/.test(
            type,
          ),
        );
  const typeParameters = declared.map(
    (parameter): RustTypeParameter => ({
      name: fieldText(parameter, 'name') ?? fieldText(parameter, 'left') ?? parameter.text,
      hasDefault: /(?<![=<>!])=(?![=>])/.test(parameter.text),
    }),
  );
  const inline = declared.flatMap((parameter) =>
    boundsOf(fieldText(parameter, 'name') ?? '', fieldText(parameter, 'bounds')),
  );
  const clause = partOf(node, 'where_clause');
  const behind = (clause === null ? [] : parts(clause)).flatMap((predicate) =>
    boundsOf(plainType(fieldText(predicate, 'left') ?? ''), fieldText(predicate, 'bounds')),
  );
  return {
    name: fieldText(node, 'name') ?? '',
    line: lineOf(node),
    isPublic: isPublic(node),
    ...{ condition, isNonExhaustive, layout, derives, typeParameters },
    bounds: [...new Set([...inline, ...behind])].sort(),
  };
}

function boundsOf(name: string, bounds: string | null): string[] {
  return bounds === null
    ? []
    : splitTop(bounds.replace(/^:\s*/, ''), '+').map((bound) => `${name}: ${plainType(bound)}`);
}

function readFunction(node: SyntaxNode, common: RustCommon, { macro }: Attributes): RustItem {
  const modifiers = partOf(node, 'function_modifiers')?.text ?? '';
  const list = field(node, 'parameters');
  const self = list === null ? null : partOf(list, 'self_parameter');
  const parameters = (list === null ? [] : parts(list))
    .filter(({ type }) => type === 'parameter' || type === 'variadic_parameter')
    .map((parameter) => plainType(fieldText(parameter, 'type') ?? parameter.text));
  const first = list?.namedChildren.find(({ type }) => type === 'parameter');
  const isTyped = first !== undefined && fieldText(first, 'pattern') === 'self';
  return {
    ...common,
    kind: 'function',
    receiver: self !== null ? plainType(self.text).replace(/^mut /, '') : isTyped ? (parameters[0] ?? 'self') : null,
    parameters: isTyped ? parameters.slice(1) : parameters,
    result: plainType(fieldText(node, 'return_type') ?? '()'),
    isConst: /\bconst\b/.test(modifiers),
    isAsync: /\basync\b/.test(modifiers),
    isUnsafe: /\bunsafe\b/.test(modifiers),
    abi:
      /\bextern\b\s*(?:"([^"]*)")?/
        .exec(modifiers)
        ?.slice(1)
        .map((abi) => abi ?? 'C')[0] ?? '',
    hasBody: node.type === 'function_item',
    macro,
  };
}

function fieldsOf(
  body: SyntaxNode | null,
  arePublic: boolean,
): { readonly shape: RustShape; readonly fields: readonly RustField[] } {
  if (body === null) return { shape: 'unit', fields: [] };
  if (body.type === 'ordered_field_declaration_list') {
    const fields: RustField[] = [];
    let isOwnPublic = arePublic;
    for (const child of parts(body)) {
      if (child.type === 'visibility_modifier') isOwnPublic = child.text === 'pub';
      else if (child.type !== 'attribute_item') {
        fields.push({
          name: String(fields.length),
          type: plainType(child.text),
          isPublic: isOwnPublic,
          line: lineOf(child),
        });
        isOwnPublic = arePublic;
      }
    }
    return { shape: 'tuple', fields };
  }
  const fields = withAttributesKept(body).map(
    ({ node, isHidden }): RustField => ({
      name: fieldText(node, 'name') ?? '',
      type: plainType(fieldText(node, 'type') ?? ''),
      // A hidden field still is in the way of those who build the structure.
      isPublic: !isHidden && (arePublic || isPublic(node)),
      line: lineOf(node),
    }),
  );
  return { shape: 'named', fields };
}

function withAttributesKept(body: SyntaxNode): { readonly node: SyntaxNode; readonly isHidden: boolean }[] {
  const found: { node: SyntaxNode; isHidden: boolean }[] = [];
  let texts: string[] = [];
  for (const child of parts(body)) {
    if (child.type === 'attribute_item') texts.push(child.text);
    else {
      found.push({ node: child, isHidden: attributesOf(texts).isHidden });
      texts = [];
    }
  }
  return found;
}

function variantsOf(node: SyntaxNode): RustItem[] {
  const body = field(node, 'body');
  return (body === null ? [] : withAttributes(body)).map(
    ({ node: variant, attributes }): RustItem => ({
      ...commonOf(variant, attributes),
      kind: 'variant',
      isPublic: true,
      ...fieldsOf(field(variant, 'body'), true),
      value: fieldText(variant, 'value'),
    }),
  );
}

/** One spelling of a type: on one line, without the paths in front of names, without the names of lifetimes. */
export function plainType(text: string): string {
  return oneLine(text)
    .replace(/\b(?:[A-Za-z_]\w*\s*::\s*)+(?=[A-Za-z_])/g, (path) => (/^Self\b/.test(path) ? path : ''))
    .replace(/'(?!static\b)[a-z_]\w*\s*/g, '')
    .replace(/<\s*(?:,\s*)*>/g, '')
    .replace(/<\s*,\s*/g, '<')
    .replace(/\s*([<>(),;:[\]])\s*/g, '$1')
    .replace(/([,:;])/g, '$1 ')
    .replace(/,\s*([>)])/g, '$1')
    .replace(/-\s?>\s?/g, ' -> ')
    .replace(/ {2,}/g, ' ')
    .trim();
}

/** Type parameters as numbers, so that another name is no difference. */
export function numbered(text: string, { typeParameters }: Pick<RustCommon, 'typeParameters'>): string {
  return typeParameters.reduce(
    (found, { name }, index) => found.replace(new RegExp(`\\b${name}\\b`, 'g'), `#${index}`),
    text,
  );
}

/** Parts between separators that are not inside brackets. */
export function splitTop(text: string, separator: string): string[] {
  const found: string[] = [];
  let [depth, from] = [0, 0];
  for (let at = 0; at < text.length; at++) {
    const sign = text.charAt(at);
    if ('<([{'.includes(sign)) depth++;
    if (')]}'.includes(sign) || (sign === '>' && text.charAt(at - 1) !== '-')) depth--;
    if (depth !== 0 || sign !== separator) continue;
    found.push(text.slice(from, at));
    from = at + 1;
  }
  return [...found, text.slice(from)].map((part) => part.trim()).filter((part) => part !== '');
}
