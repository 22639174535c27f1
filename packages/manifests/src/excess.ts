import { Lexer, Parser, type CST } from 'yaml';
import { manifestLimits } from '@moorage/contract/manifest-limits';

export interface Excess {
  readonly limit: keyof typeof manifestLimits;
  readonly most: number;
  /** Offset into the text where the limit was passed, and its line, counted from 1. */
  readonly at: number;
  readonly line: number;
}

/** What the lexer gives before the text of a scalar. */
const scalarMark = '\u001f';

/** Which limit a lexeme counts against. */
function limitOf(lexeme: string): keyof typeof manifestLimits | undefined {
  switch (lexeme[0]) {
    case '&':
      return 'anchors';
    case '*':
      return 'aliases';
    case ':':
    case '?':
      return 'keys';
    case '-':
      return lexeme === '-' ? 'entries' : lexeme === '---' ? 'documents' : undefined;
    case ',':
      return 'entries';
    default:
      return undefined;
  }
}

/** The first mapping with more members than one may have, walked without recursion. */
function crowded(documents: readonly CST.Token[]): number | undefined {
  const open: CST.Token[] = [...documents];
  for (let token = open.pop(); token; token = open.pop()) {
    if (token.type === 'document') {
      if (token.value) open.push(token.value);
      continue;
    }
    if (token.type !== 'block-map' && token.type !== 'flow-collection' && token.type !== 'block-seq') continue;
    if (token.type !== 'block-seq' && token.items.length > manifestLimits.keysInOne)
      if (token.type === 'block-map' || token.start.source === '{') return token.offset;
    for (const { key, value } of token.items) {
      if (key) open.push(key);
      if (value) open.push(value);
    }
  }
  return undefined;
}

/**
 * What the text has too much of, if anything. Reads it token by token, in time that grows with its length alone, and stops
 * where a limit is passed.
 */
export function excessOf(text: string): Excess | undefined {
  const found = (limit: keyof typeof manifestLimits, at: number): Excess => ({
    limit,
    most: manifestLimits[limit],
    at,
    line: text.slice(0, at).split('\n').length,
  });
  if (text.length > manifestLimits.characters) return found('characters', manifestLimits.characters);
  const counts = { documents: 0, anchors: 0, aliases: 0, keys: 0, entries: 0 } as Record<
    keyof typeof manifestLimits,
    number
  >;
  const parser = new Parser();
  const documents: CST.Token[] = [];
  let isText = false;
  for (const lexeme of new Lexer().lex(text)) {
    const limit = isText ? undefined : limitOf(lexeme);
    isText = lexeme === scalarMark;
    if (limit && ++counts[limit] > manifestLimits[limit]) return found(limit, parser.offset);
    for (const token of parser.next(lexeme)) documents.push(token);
    if (parser.stack.length > manifestLimits.depth) return found('depth', parser.offset);
  }
  for (const token of parser.end()) documents.push(token);
  const at = crowded(documents);
  return at === undefined ? undefined : found('keysInOne', at);
}

/** What is too much, in words. */
export function excessWords({ limit, most, line }: Excess): string {
  const number = most.toLocaleString('en-GB');
  const words: Record<keyof typeof manifestLimits, string> = {
    characters: `it is longer than ${number} characters`,
    documents: `it has more than ${number} documents`,
    depth: `it nests deeper than ${number} levels`,
    anchors: `it has more than ${number} anchors`,
    aliases: `it has more than ${number} aliases`,
    keys: `it has more than ${number} members`,
    keysInOne: `a mapping in it has more than ${number} members`,
    entries: `its lists have more than ${number} entries`,
  };
  return `This is not read: ${words[limit]} (line ${line}). Split it into smaller manifests.`;
}
