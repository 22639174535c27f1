import type { ManifestResult } from '@moorage/contract/manifests';
import { readManifest, type ReadManifest } from '@moorage/contract/manifests';
import type { Person } from '@moorage/contract/people';
import { isMap, isNode, LineCounter, parseAllDocuments, type Document } from 'yaml';
import type { Database } from '../database/database';
import { HttpProblem } from '../http/problem';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { PlatformProblem, type PlatformConnector, type PlatformObject } from '../platform/connector';
import { upsertObjects } from '../platform/mirror';

const mostDocuments = 100;

/** The line of a member, or of the nearest one around it that is there. */
function lineOf(document: Document, path: readonly (string | number)[], lines: LineCounter): number {
  for (let depth = path.length; depth > 0; depth--) {
    const node = document.getIn(path.slice(0, depth), true);
    if (isNode(node) && node.range) return lines.linePos(node.range[0]).line;
  }
  return isMap(document.contents) && document.contents.range ? lines.linePos(document.contents.range[0]).line : 1;
}

type Readable = Extract<ReadManifest, { ok: true }>;

/** Reads every document, and refuses the whole text when one of them is wrong, with field and line of each fault. */
function readAll(text: string): Readable[] {
  const lines = new LineCounter();
  const documents = parseAllDocuments(text, { lineCounter: lines });
  if (!Array.isArray(documents) || documents.length === 0)
    throw HttpProblem.invalid('text', 'There is no document in the manifest.');
  if (documents.length > mostDocuments)
    throw HttpProblem.invalid('text', `More than ${mostDocuments} documents at once; split the manifest.`);
  const faults: { field: string; detail: string }[] = [];
  const read: Readable[] = [];
  documents.forEach((document, i) => {
    const broken = document.errors[0];
    if (broken) {
      faults.push({ field: 'text', detail: `line ${broken.linePos?.[0].line ?? 1}: ${broken.message.split('\n')[0]}` });
      return;
    }
    const value: unknown = document.toJS({ maxAliasCount: 100 });
    if (value === null) return;
    const result = readManifest(value);
    if (result.ok) read.push(result);
    else
      for (const { path, detail } of result.issues) {
        const field = (documents.length > 1 ? [i, ...path] : path).join('.');
        faults.push({ field, detail: `line ${lineOf(document, path, lines)}, ${path.join('.')}: ${detail}` });
      }
  });
  if (faults.length > 0)
    throw new HttpProblem(
      422,
      'invalid',
      'Not accepted',
      `${faults.map((f) => f.detail).join(' ')} Nothing was made.`,
      faults[0]!.field,
      faults,
    );
  if (read.length === 0) throw HttpProblem.invalid('text', 'There is no document in the manifest.');
  return read;
}

function checkAllowed(read: readonly Readable[], person: Person): void {
  if (person.role !== 'namespace-owner') return;
  const foreign = read.find((r) => r.kind !== 'PersistentVolumeClaim' || !person.namespaces.includes(r.namespace!));
  if (foreign)
    throw new HttpProblem(
      403,
      'not-allowed',
      'Not allowed',
      `You may make claims in ${person.namespaces.join(', ') || 'no namespace'}, and nothing else.`,
    );
}

/** Makes what a manifest describes, in its order. Nothing is made when anything in it is wrong. */
export async function makeFromManifest(
  database: Database,
  platform: PlatformConnector,
  text: string,
  person: Person,
): Promise<ManifestResult> {
  const read = readAll(text);
  checkAllowed(read, person);
  const made: ManifestResult['made'] = [];
  for (const { kind, name, namespace, object } of read) {
    const isClaim = kind === 'PersistentVolumeClaim';
    try {
      const stored = await platform.create(object as PlatformObject);
      await upsertObjects(database, isClaim ? 'persistentvolumeclaims' : 'storageclasses', [stored]);
    } catch (error) {
      if (!(error instanceof PlatformProblem) || made.length === 0) throw error;
      const before = made.map((m) => m.name).join(', ');
      throw new PlatformProblem(error.code, `${name}: ${error.message}. Made before it: ${before}.`, error.causes);
    }
    await record(database, {
      person: person.name,
      action: 'create',
      kind: isClaim ? 'claim' : 'class',
      subject: namespace ? `${namespace}/${name}` : name,
      after: object,
    });
    made.push({ kind, namespace: namespace ?? null, name });
  }
  await announce(database, [{ topic: 'claims' }, { topic: 'classes', subject: 'made' }]);
  return { made };
}
