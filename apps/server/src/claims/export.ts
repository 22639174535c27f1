import type { ClaimExportQuery, ClaimRow } from '@moorage/contract/claims';
import type { Writable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { csvOf } from '../database/csv';
import type { Database } from '../database/database';
import type { Sight } from '../people/sight';
import { listClaims } from './claims';

const pageSize = 500;

/** What the list shows, as the columns of a table. Sizes are bytes. */
const columns: readonly (readonly [head: string, of: (claim: ClaimRow) => string | number | null])[] = [
  ['namespace', (c) => c.namespace],
  ['claim', (c) => c.name],
  ['class', (c) => c.className],
  ['state', (c) => c.state],
  ['requested_bytes', (c) => c.requested],
  ['provisioned_bytes', (c) => c.provisioned],
  ['written_bytes', (c) => c.consumed],
  ['access_modes', (c) => c.modes.join(' ')],
  ['volume_mode', (c) => c.volumeMode],
  ['pool', (c) => c.pool],
  ['backend', (c) => c.backend],
  ['volume', (c) => c.volumeName],
  ['backend_volume', (c) => c.volumeId],
  ['made_at', (c) => c.createdAt],
  ['uid', (c) => c.uid],
];

/** All claims that a filter lets through, a page at a time: however many there are, few are held at once. */
async function* allClaims(database: Database, sight: Sight, query: ClaimExportQuery): AsyncGenerator<ClaimRow> {
  let cursor: string | undefined;
  do {
    const page = await listClaims(database, sight, { ...query, cursor, limit: pageSize });
    yield* page.claims;
    cursor = page.next ?? undefined;
  } while (cursor !== undefined);
}

/** The texts of an answer, one after the other. */
async function* textsOf(claims: AsyncGenerator<ClaimRow>, format: ClaimExportQuery['format']): AsyncGenerator<string> {
  if (format === 'csv') {
    yield csvOf([columns.map(([head]) => head)]);
    for await (const claim of claims) yield csvOf([columns.map(([, of]) => of(claim))]);
    return;
  }
  let before = '[\n';
  for await (const claim of claims) {
    yield before + JSON.stringify(claim);
    before = ',\n';
  }
  yield before === '[\n' ? '[]\n' : '\n]\n';
}

/**
 * Writes all claims of a filter as CSV or JSON, as fast as they are taken. What is refused is refused before anything is written;
 * what fails half way cuts the connection, so that nobody takes the answer for whole.
 */
export async function exportClaims(
  database: Database,
  sight: Sight,
  query: ClaimExportQuery,
  to: Writable,
): Promise<void> {
  const texts = textsOf(allClaims(database, sight, query), query.format);
  // the first is the head of a table; the second comes of the first page
  const begun = [await texts.next(), await texts.next()];
  const all = async function* () {
    for (const text of begun) if (!text.done) yield text.value;
    yield* texts;
  };
  try {
    await pipeline(all, to);
  } catch (error) {
    // whoever asked has gone
    if ((error as NodeJS.ErrnoException).code !== 'ERR_STREAM_PREMATURE_CLOSE') throw error;
  }
}
