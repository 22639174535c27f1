import { createHash, randomBytes } from 'node:crypto';
import type { Request, Response } from 'express';
import { apiVersion, type Resource } from './resources';
import { selection } from './selectors';
import { badRequest, statusBody, StatusError } from './status';
import type { KubeObject, Store, WatchEvent } from './store';

export const text = (value: unknown): string | undefined =>
  typeof value === 'string' && value !== '' ? value : undefined;

/** As the platform reads booleans in addresses. */
export function flag(value: unknown): boolean {
  const given = text(value);
  if (given === undefined) return false;
  if (/^(1|t|true)$/i.test(given)) return true;
  if (/^(0|f|false)$/i.test(given)) return false;
  throw badRequest(`strconv.ParseBool: parsing ${JSON.stringify(given)}: invalid syntax`);
}

function number(request: Request, name: string): number | undefined {
  const given = text(request.query[name]);
  if (given === undefined) return undefined;
  if (!/^\d+$/.test(given)) throw badRequest(`strconv.ParseInt: parsing ${JSON.stringify(given)}: invalid syntax`);
  return Number(given);
}

const keyed = (o: KubeObject) => `${o.metadata.namespace ?? ''}/${o.metadata.name}`;

interface Snapshot {
  readonly of: string;
  readonly version: number;
  readonly items: readonly KubeObject[];
}

/** Lists in pages: a list is as it was when it was begun, whatever happens meanwhile, and its tokens tell nothing. */
export class Pages {
  private readonly kept = new Map<string, Snapshot>();
  private readonly secret = randomBytes(16);

  private sign = (id: string, from: number) =>
    createHash('sha256').update(this.secret).update(`${id}.${from}`).digest('base64url').slice(0, 16);

  private token(id: string, from: number): string {
    return Buffer.from(JSON.stringify({ v: 1, id, from, sign: this.sign(id, from) })).toString('base64url');
  }

  /** A new list, or one that goes on at a token. */
  page(of: string, token: string | undefined, limit: number, begin: () => Omit<Snapshot, 'of'>) {
    const { id, from, snapshot } =
      token === undefined ? { id: '', from: 0, snapshot: { of, ...begin() } } : this.read(of, token);
    const to = limit > 0 ? from + limit : snapshot.items.length;
    const items = snapshot.items.slice(from, to);
    const left = snapshot.items.length - from - items.length;
    if (left === 0) return { version: snapshot.version, items };
    const kept = id || this.keep(snapshot);
    return { version: snapshot.version, items, continue: this.token(kept, to), remainingItemCount: left };
  }

  private keep(snapshot: Snapshot): string {
    const id = randomBytes(9).toString('base64url');
    this.kept.set(id, snapshot);
    if (this.kept.size > 100) this.kept.delete(this.kept.keys().next().value!);
    return id;
  }

  private read(of: string, token: string) {
    let parsed: { id?: string; from?: number; sign?: string };
    try {
      parsed = JSON.parse(Buffer.from(token, 'base64url').toString('utf8')) as typeof parsed;
    } catch {
      throw badRequest('continue key is not valid: the token cannot be decoded');
    }
    const { id, from, sign } = parsed;
    if (typeof id !== 'string' || typeof from !== 'number' || sign !== this.sign(id, from))
      throw badRequest('continue key is not valid: incorrect encoded start resourceVersion');
    const snapshot = this.kept.get(id);
    if (!snapshot)
      throw new StatusError(
        410,
        'Expired',
        'The provided continue parameter is too old to display a consistent list result. You can start a new list without the continue parameter.',
      );
    if (snapshot.of !== of) throw badRequest('continue key is not valid: it belongs to another list');
    return { id, from, snapshot };
  }

  /** Forgets every list that was begun, as time would. */
  expire(): void {
    this.kept.clear();
  }
}

function watch(store: Store, resource: Resource, request: Request, response: Response): void {
  const { namespace } = request.params as { namespace?: string };
  const selects = selection(resource.plural, text(request.query.labelSelector), text(request.query.fieldSelector));
  const asked = text(request.query.resourceVersion);
  if (asked !== undefined && !/^\d+$/.test(asked)) throw badRequest(`invalid resource version "${asked}"`);
  const seconds = number(request, 'timeoutSeconds') ?? 1800;
  const here = (o: KubeObject) => !namespace || o.metadata.namespace === namespace;
  /** What a change is to who watches a selection: an object may come into it and leave it. */
  const typeFor = ({ type, object, before }: WatchEvent): WatchEvent['type'] | undefined => {
    const [was, is] = [before !== undefined && selects(before), selects(object)];
    if (type !== 'MODIFIED') return is ? type : undefined;
    return is ? (was ? 'MODIFIED' : 'ADDED') : was ? 'DELETED' : undefined;
  };
  response.setHeader('Content-Type', 'application/json');
  response.setHeader('Transfer-Encoding', 'chunked');
  response.flushHeaders();
  const send = (type: string, object: unknown) => response.write(JSON.stringify({ type, object }) + '\n');
  const tell = (event: WatchEvent) => {
    if (event.plural !== resource.plural || !here(event.object)) return;
    const type = typeFor(event);
    if (type) send(type, event.object);
  };
  if (asked === undefined || asked === '0') {
    for (const object of store.list(resource.plural, namespace)) if (selects(object)) send('ADDED', object);
  } else {
    const missed = store.since(Number(asked));
    if (!missed) {
      send('ERROR', statusBody(410, 'Expired', `too old resource version: ${asked} (${store.resourceVersion})`));
      response.end();
      return;
    }
    for (const event of missed) tell(event);
  }
  store.changes.on('change', tell);
  const bookmark = flag(request.query.allowWatchBookmarks)
    ? setInterval(
        () =>
          send('BOOKMARK', {
            apiVersion: apiVersion(resource),
            kind: resource.kind,
            metadata: { resourceVersion: String(store.resourceVersion) },
          }),
        15_000,
      )
    : undefined;
  const limit = setTimeout(() => response.end(), 1000 * seconds);
  response.on('close', () => {
    store.changes.off('change', tell);
    clearInterval(bookmark);
    clearTimeout(limit);
  });
}

/** Answers a list, or a watch when that is asked. */
export function list(store: Store, pages: Pages, resource: Resource, request: Request, response: Response): void {
  if (flag(request.query.watch)) return watch(store, resource, request, response);
  const { namespace } = request.params as { namespace?: string };
  const [labels, fields] = [text(request.query.labelSelector), text(request.query.fieldSelector)];
  const selects = selection(resource.plural, labels, fields);
  const { version, items, ...more } = pages.page(
    JSON.stringify([resource.plural, namespace, labels, fields]),
    text(request.query.continue),
    number(request, 'limit') ?? 0,
    () => ({
      version: store.resourceVersion,
      items: store
        .list(resource.plural, namespace)
        .filter(selects)
        .sort((a, b) => (keyed(a) < keyed(b) ? -1 : 1)),
    }),
  );
  response.json({
    apiVersion: apiVersion(resource),
    kind: `${resource.kind}List`,
    metadata: { resourceVersion: String(version), ...more },
    items,
  });
}
