import {
  defaultClassAnnotation,
  fileSystemParameter,
  fromManifest,
  parameters,
  prefix,
  provisioner,
  strategyAnnotation,
  toManifest,
  toParameters,
  type ClassManifest,
} from '@moorage/core/classes/manifest';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { isMap, isNode, isPair, isScalar, LineCounter, parseAllDocuments, type Document, type Node } from 'yaml';
import { excessOf, excessWords } from './excess';
import { readManifest } from '@moorage/contract/manifests';

/** Manifests as text: YAML with one or several documents, JSON, or lists of objects in either. */

export type Path = readonly (string | number)[];

/** Offsets into the text, the end excluded. */
export interface Span {
  readonly from: number;
  readonly to: number;
  /** Counted from 1. */
  readonly line: number;
}

export interface TextProblem extends Span {
  readonly path: Path;
  readonly detail: string;
  /** A text that would put it right, in place of the span. */
  readonly fix?: { readonly insert: string; readonly span: Span };
}

/** A member that was understood, or one that is kept as it is without being understood. */
export interface Member extends Span {
  readonly path: string;
  readonly value: string;
}

export interface ReadObject extends Span {
  /** Which document it stands in, and which item of it when that is a list. */
  readonly document: number;
  readonly item?: number;
  readonly kind: string;
  readonly name: string;
  /** `ours`: a class of this provisioner. `foreign`: a class of another one, kept. `other`: kept, and not for us. */
  readonly what: 'ours' | 'foreign' | 'claim' | 'volume' | 'other' | 'broken';
  readonly understood: readonly Member[];
  readonly kept: readonly Member[];
  readonly problems: readonly TextProblem[];
  readonly value: unknown;
  /** For classes of ours, with defaults where something is wrong. */
  readonly storageClass?: StorageClass;
  readonly isDefault: boolean;
}

/** Where a member stands in the text: its value, or its name when the value is nothing. */
class Places {
  private readonly lines = new LineCounter();
  readonly documents: Document.Parsed[];

  constructor(readonly text: string) {
    const parsed = parseAllDocuments(text, { lineCounter: this.lines });
    this.documents = Array.isArray(parsed) ? [...(parsed as Document.Parsed[])] : [];
  }

  span(from: number, to: number): Span {
    return { from, to: Math.max(from, to), line: this.lines.linePos(from).line };
  }

  node(document: Document.Parsed, path: Path): Node | undefined {
    const node = path.length === 0 ? document.contents : document.getIn(path, true);
    return isNode(node) ? node : undefined;
  }

  /** The member, or the nearest one around it that is there. */
  of(document: Document.Parsed, path: Path): Span {
    for (let depth = path.length; depth > 0; depth--) {
      const range = this.node(document, path.slice(0, depth))?.range;
      if (range) return this.span(range[0], range[1]);
    }
    const [from, to] = document.range;
    const first = document.contents?.range?.[0] ?? from;
    const end = this.text.indexOf('\n', first);
    return this.span(first, end < 0 ? to : Math.min(end, to));
  }

  /** The name of a member. */
  key(document: Document.Parsed, path: Path): Span | undefined {
    const parent = this.node(document, path.slice(0, -1));
    if (!isMap(parent)) return undefined;
    const pair = parent.items.find((p) => isPair(p) && isScalar(p.key) && p.key.value === path.at(-1));
    const range = pair && isScalar(pair.key) ? pair.key.range : undefined;
    return range ? this.span(range[0], range[1]) : undefined;
  }
}

const plain = (value: unknown): string => (typeof value === 'string' ? value : JSON.stringify(value)) ?? '';

/** Members of the standard that a class has, beside those under `metadata` and `parameters`. */
const standardMembers = [
  'apiVersion',
  'kind',
  'provisioner',
  'reclaimPolicy',
  'volumeBindingMode',
  'allowVolumeExpansion',
  'mountOptions',
  'allowedTopologies',
];

function membersOf(
  places: Places,
  document: Document.Parsed,
  base: Path,
  value: Record<string, unknown>,
  ours: boolean,
) {
  const understood: Member[] = [];
  const kept: Member[] = [];
  const add = (list: Member[], path: Path, of: unknown) =>
    list.push({ ...places.of(document, [...base, ...path]), path: path.join('.'), value: plain(of) });
  for (const [key, of] of Object.entries(value)) {
    if (key === 'metadata' || key === 'parameters') continue;
    add(standardMembers.includes(key) ? understood : kept, [key], of);
  }
  const metadata = (value.metadata ?? {}) as Record<string, unknown>;
  for (const [key, of] of Object.entries(metadata)) {
    if (key === 'name') add(understood, ['metadata', 'name'], of);
    else if (key === 'annotations' && of !== null && typeof of === 'object')
      for (const [name, text] of Object.entries(of))
        add(
          name === defaultClassAnnotation || (ours && name.startsWith(prefix)) ? understood : kept,
          ['metadata', 'annotations', name],
          text,
        );
    else add(kept, ['metadata', key], of);
  }
  const given = value.parameters;
  if (given !== null && typeof given === 'object')
    for (const [name, text] of Object.entries(given)) {
      const known = ours && (name === fileSystemParameter || parameters[name.slice(prefix.length)] !== undefined);
      add(known ? understood : kept, ['parameters', name], text);
    }
  return { understood, kept };
}

/** A fix for what is wrong, when it is plain what was meant. */
function fixFor(
  places: Places,
  document: Document.Parsed,
  base: Path,
  path: Path,
  value: unknown,
): TextProblem['fix'] | undefined {
  const span = places.of(document, [...base, ...path]);
  const quoted = (text: string) => `"${text}"`;
  const [member, name] = path;
  const { problems } = fromManifest(readable(value as Record<string, unknown>));
  const problem = problems.find((p) => p.field === path.join('.'));
  if (problem?.meant !== undefined && problem.problem === 'bad-value')
    return { span, insert: member === 'parameters' || member === 'metadata' ? quoted(problem.meant) : problem.meant };
  if (problem?.meant !== undefined) {
    const key = places.key(document, [...base, ...path]);
    return key && { span: key, insert: prefix + problem.meant };
  }
  // a parameter that is no text: the same in quotes
  if (member === 'parameters' && name !== undefined) {
    const given = (value as { parameters?: Record<string, unknown> }).parameters?.[String(name)];
    if (typeof given === 'number' || typeof given === 'boolean') return { span, insert: quoted(String(given)) };
  }
  if (member === 'apiVersion') return { span, insert: 'storage.k8s.io/v1' };
  return undefined;
}

const driverOf = (object: Record<string, unknown>): unknown =>
  Object.fromEntries(entriesOf(Object.fromEntries(entriesOf(object.spec)).csi)).driver;

/** As the platform takes names of classes, dots included. */
const foreignName = /^[a-z0-9]([-a-z0-9.]{0,251}[a-z0-9])?$/;

function readObject(places: Places, at: { document: number; item?: number }, value: unknown, base: Path): ReadObject {
  const document = places.documents[at.document]!;
  const root = places.node(document, base)?.range ?? document.range;
  const whole = { ...places.span(root[0], root[1]), ...at };
  const object = value as Record<string, unknown> | null;
  const { kind, metadata } = (object ?? {}) as { kind?: unknown; metadata?: { name?: unknown; annotations?: unknown } };
  const common = {
    ...whole,
    kind: typeof kind === 'string' ? kind : '',
    name: typeof metadata?.name === 'string' ? metadata.name : '',
    value,
    isDefault: (metadata?.annotations as Record<string, unknown> | undefined)?.[defaultClassAnnotation] === 'true',
  };
  if (object === null || typeof object !== 'object' || Array.isArray(object) || typeof kind !== 'string') {
    const detail = 'This is no object of the platform: it has no kind.';
    const problem = { ...places.of(document, base), path: [], detail };
    return { ...common, what: 'broken', understood: [], kept: [], problems: [problem] };
  }
  const ours = kind === 'StorageClass' && object.provisioner === provisioner;
  if (kind === 'StorageClass' && !ours && typeof object.provisioner === 'string') {
    const nameless = !foreignName.test(common.name);
    const detail = 'A class needs a name in metadata.name: small letters, digits, hyphens and dots.';
    const problems = nameless
      ? [{ ...places.of(document, [...base, 'metadata', 'name']), path: ['metadata', 'name'], detail }]
      : [];
    const shaped = entriesOf(object.metadata).length > 0 ? object : { ...object, metadata: {} };
    return { ...common, what: 'foreign', ...membersOf(places, document, base, shaped, false), problems };
  }
  // a persistent volume of another driver is somebody else's
  const isVolume = kind === 'PersistentVolume' && driverOf(object) === provisioner;
  if (kind !== 'StorageClass' && kind !== 'PersistentVolumeClaim' && !isVolume)
    return {
      ...common,
      what: 'other',
      understood: [],
      kept: [{ ...whole, path: kind, value: common.name }],
      problems: [],
    };
  const read = readManifest(value);
  const problems = read.ok
    ? []
    : read.issues.map(({ path, detail }): TextProblem => {
        const fix = kind === 'StorageClass' ? fixFor(places, document, base, path, value) : undefined;
        return { ...(fix?.span ?? places.of(document, [...base, ...path])), path, detail, ...(fix && { fix }) };
      });
  if (kind !== 'StorageClass')
    return { ...common, what: isVolume ? 'volume' : 'claim', understood: [], kept: [], problems };
  return {
    ...common,
    what: 'ours',
    ...membersOf(places, document, base, object, true),
    problems,
    storageClass: fromManifest(readable(object)).storageClass,
  };
}

const textOf = (value: unknown): string | undefined => (typeof value === 'string' ? value : undefined);
const entriesOf = (value: unknown): [string, unknown][] =>
  value !== null && typeof value === 'object' && !Array.isArray(value) ? Object.entries(value) : [];

/** The object as a class, with whatever is not even of the right kind left out. */
function readable(object: Record<string, unknown>): ClassManifest {
  const metadata = Object.fromEntries(entriesOf(object.metadata));
  const topologies = Array.isArray(object.allowedTopologies) ? (object.allowedTopologies as unknown[]) : [];
  return {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'StorageClass',
    provisioner: textOf(object.provisioner) ?? '',
    metadata: {
      name: textOf(metadata.name) ?? '',
      annotations: Object.fromEntries(entriesOf(metadata.annotations).map(([k, v]) => [k, String(v)])),
    },
    parameters: Object.fromEntries(entriesOf(object.parameters).map(([k, v]) => [k, String(v)])),
    reclaimPolicy: textOf(object.reclaimPolicy),
    volumeBindingMode: textOf(object.volumeBindingMode),
    allowVolumeExpansion: object.allowVolumeExpansion === true,
    mountOptions: Array.isArray(object.mountOptions) ? object.mountOptions.map(String) : undefined,
    allowedTopologies: topologies.map((topology) => {
      const { matchLabelExpressions } = Object.fromEntries(entriesOf(topology));
      const expressions = Array.isArray(matchLabelExpressions) ? (matchLabelExpressions as unknown[]) : [];
      return {
        matchLabelExpressions: expressions.map((expression) => {
          const { key, values } = Object.fromEntries(entriesOf(expression));
          return { key: textOf(key) ?? '', values: Array.isArray(values) ? values.map(String) : [] };
        }),
      };
    }),
  };
}

/**
 * Everything that stands in a text, in its order: what was understood, what is kept, and what is wrong, by line. Of a text past
 * one of the limits nothing is read but that.
 */
export function readManifestText(text: string): ReadObject[] {
  const excess = excessOf(text);
  if (excess) {
    const span = { from: excess.at, to: Math.min(excess.at + 1, text.length), line: excess.line };
    const problem = { ...span, path: [], detail: excessWords(excess) };
    const nothing = { kind: '', name: '', value: undefined, understood: [], kept: [], isDefault: false };
    return [{ ...span, document: 0, what: 'broken', problems: [problem], ...nothing }];
  }
  const places = new Places(text);
  return places.documents.flatMap((document, index): ReadObject[] => {
    const broken = (from: number, to: number, why: string): ReadObject[] => {
      const span = places.span(from, Math.max(to, from + 1));
      const problem = { ...span, path: [], detail: `This cannot be read: ${why}` };
      const nothing = { kind: '', name: '', value: undefined, understood: [], kept: [], isDefault: false };
      return [{ ...span, document: index, what: 'broken', problems: [problem], ...nothing }];
    };
    const [error] = document.errors;
    if (error) return broken(...error.pos, error.message.split('\n')[0]!.replace(/ at line.*$/, '.'));
    let value: unknown;
    try {
      value = document.toJS({ maxAliasCount: 100 });
    } catch (cause) {
      // an alias that names nothing, or aliases that would unfold without end
      const start = document.contents?.range?.[0] ?? document.range[0];
      return broken(start, start + 1, `${(cause as Error).message}.`);
    }
    if (value === null || value === undefined) return [];
    const { kind, items } = value as { kind?: unknown; items?: unknown };
    if (typeof kind === 'string' && kind.endsWith('List') && Array.isArray(items))
      return items.map((item, i) => readObject(places, { document: index, item: i }, item, ['items', i]));
    return [readObject(places, { document: index }, value, [])];
  });
}

interface Edit {
  readonly path: Path;
  /** Undefined takes the member out. */
  readonly value: unknown;
}

const isAnnotated = (value: unknown): boolean => {
  const metadata = entriesOf(Object.fromEntries(entriesOf(value)).metadata);
  return entriesOf(Object.fromEntries(metadata).annotations).some(([name]) => name === strategyAnnotation);
};

/** The members in which two classes are written differently. What is the same in both is never touched. */
function editsBetween(at: ReadObject & { storageClass: StorageClass }, after: StorageClass, becomes: boolean): Edit[] {
  const { storageClass: before, isDefault: was } = at;
  const edits: Edit[] = [];
  const [old, fresh] = [toManifest(before, was), toManifest(after, becomes)];
  if (before.name !== after.name) edits.push({ path: ['metadata', 'name'], value: after.name });
  if (was !== becomes)
    edits.push({ path: ['metadata', 'annotations', defaultClassAnnotation], value: becomes ? 'true' : undefined });
  const [oldTexts, freshTexts] = [toParameters(before), toParameters(after)];
  for (const name of new Set([...Object.keys(oldTexts), ...Object.keys(freshTexts)]))
    if (oldTexts[name] !== freshTexts[name])
      // where the strategy was changed after the class was made, it stands beside the parameters and goes before them
      if (name === strategyAnnotation && isAnnotated(at.value))
        edits.push({ path: ['metadata', 'annotations', name], value: after.strategy });
      else edits.push({ path: ['parameters', name], value: freshTexts[name] });
  for (const member of [
    'reclaimPolicy',
    'volumeBindingMode',
    'allowVolumeExpansion',
    'mountOptions',
    'allowedTopologies',
  ] as const)
    if (JSON.stringify(old[member]) !== JSON.stringify(fresh[member]))
      edits.push({ path: [member], value: fresh[member] });
  return edits;
}

/**
 * The text with one class of ours changed, and nothing else: comments, order, unknown members and other objects stay as they
 * are. A text that says what is wanted already comes back as it was.
 */
export function writeClassInto(text: string, at: ReadObject, after: StorageClass, isDefault: boolean): string {
  const { storageClass } = at;
  if (!storageClass) return text;
  const edits = editsBetween({ ...at, storageClass }, after, isDefault);
  if (edits.length === 0) return text;
  const places = new Places(text);
  const document = places.documents[at.document]!;
  const base = at.item === undefined ? [] : ['items', at.item];
  const to = document.range[2];
  const from = at.document > 0 ? places.documents[at.document - 1]!.range[2] : 0;
  const first = document.contents?.range?.[0] ?? from;
  for (const { path, value } of edits) {
    const whole = [...base, ...path];
    if (value === undefined) document.deleteIn(whole);
    else {
      const node = places.node(document, whole);
      // a value in the place of another keeps what is noted beside it
      if (isScalar(node) && (typeof value !== 'object' || value === null)) node.value = value;
      else document.setIn(whole, document.createNode(value));
    }
    // a parameter or mark taken away must not leave an empty pair of braces behind
    const parent = whole.slice(0, -1);
    const holder = places.node(document, parent);
    if (value === undefined && isMap(holder) && holder.items.length === 0) document.deleteIn(parent);
  }
  const isJson = /^\s*[{[]/.test(text.slice(first));
  if (isJson) {
    const indent = /\n(\s+)"/.exec(text.slice(first, to))?.[1]?.length ?? 2;
    return (
      text.slice(0, first) +
      JSON.stringify(document.toJS(), null, indent) +
      trailing(text.slice(first, to)) +
      text.slice(to)
    );
  }
  // the marker between documents is not the document's to write, unless something stands before it
  const marker = /^\s*---[^\n]*\n/.exec(text.slice(from, first))?.[0] ?? '';
  if (marker) document.directives!.docStart = null;
  const start = from + marker.length;
  const written = document.toString({ lineWidth: 0, directives: marker === '' ? null : false }).replace(/\n+$/, '');
  return text.slice(0, start) + written + trailing(text.slice(start, to)) + text.slice(to);
}

const trailing = (part: string): string => /\s*$/.exec(part)![0];
