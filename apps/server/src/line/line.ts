import { claimMarks, type Line, type LineLink } from '@moorage/contract/claims';
import type { Proof } from '@moorage/contract/proof';
import { driftKinds, type Drift } from '@moorage/core/drift/drift';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import type { Sight } from '../people/sight';
import type { PlatformObject } from '../platform/connector';
import { Refusal } from '../refusals/refusal';
import { bothSides, chainOf, podsWith, type Chain } from './line.sql';

const copyNotes: Record<string, [LineLink['mark'], string]> = {
  Synchronized: ['settled', 'in sync'],
  Synchronizing: ['progress', 'resyncing'],
  Failed: ['degraded', 'lost its disk or node'],
};

/**
 * The chain namespace → application → pod → claim → volume → class → pool → backend → copies, with both worlds' names. The
 * claim is found by `namespace/name`, its uid, the volume's name or the backend's identifier.
 */
export async function findLine(database: Database, sight: Sight, key: string): Promise<Line> {
  const { chain, links } = await chainAt(database, sight, key);
  return { claim: `${chain.namespace}/${chain.name}`, links };
}

async function chainAt(database: Database, sight: Sight, key: string) {
  const [namespace = '', name = ''] = key.split('/');
  const chain = await first(chainOf(database, namespace, name, key, sight.namespaces));
  if (!chain) throw Refusal.notFound('claim or volume', key);
  const pods = await podsWith(database, chain.namespace, chain.name);
  return { chain, links: linksOf(chain, pods) };
}

const isBound = ({ volume_id, pool_id }: Chain): boolean => volume_id !== null && pool_id !== null;

/** What both worlds say of a claim, when each was last seen, and every check made: to be printed. */
export async function findProof(database: Database, sight: Sight, key: string): Promise<Proof> {
  const { chain, links } = await chainAt(database, sight, key);
  const sides = (await first(bothSides(database, chain.uid)))!;
  const { spec, status } = sides.pv ?? {};
  const { capacity, persistentVolumeReclaimPolicy, csi } = (spec ?? {}) as {
    capacity?: { storage?: string };
    persistentVolumeReclaimPolicy?: string;
    csi?: { volumeHandle?: string };
  };
  const drifts = new Map(chain.drifts.map((d) => [d.kind, d]));
  return {
    ...{ claim: `${chain.namespace}/${chain.name}`, at: new Date().toISOString(), links },
    platform: {
      ...{ seenAt: sides.platform_seen?.toISOString() ?? null, claimUid: chain.uid, requested: sides.requested },
      ...{ phase: sides.phase, volumeName: chain.volume_name, volumeUid: chain.volume_uid },
      ...{
        volumePhase: status?.phase === undefined ? null : String(status.phase),
        capacity: capacity?.storage ?? null,
      },
      ...{ reclaim: persistentVolumeReclaimPolicy ?? null, handle: csi?.volumeHandle ?? null },
    },
    backend: isBound(chain)
      ? {
          ...{ id: chain.backend_id!, seenAt: sides.backend_seen?.toISOString() ?? null },
          ...{ reachable: chain.backend_reachable ?? false, volumeId: chain.volume_id!, name: sides.seen_name },
          ...{ pool: sides.seen_pool, bytes: sides.seen_bytes, consumed: sides.consumed, encrypted: sides.encrypted },
          ...{ iopsCeiling: sides.iops_ceiling, throughputCeiling: sides.throughput_ceiling },
          copies: (chain.copies ?? []).map(({ node, disk, state }) => ({ node, disk, state })),
        }
      : null,
    checks: isBound(chain)
      ? driftKinds.map((kind) => {
          const { declared = null, actual = null, since } = drifts.get(kind) ?? {};
          return {
            kind,
            passed: !drifts.has(kind),
            declared,
            actual,
            since: since ? new Date(since).toISOString() : null,
          };
        })
      : [],
  };
}

function volumeMark(chain: Chain): LineLink['mark'] {
  if (chain.missing_since) return 'lost';
  if (chain.reachable === false) return 'person';
  if (chain.degraded || chain.drifts.length > 0) return 'degraded';
  if (chain.volume_id) return 'settled';
  return chain.state === 'stopped' ? 'waiting' : 'progress';
}

const sides: Readonly<Record<Drift['by'], string>> = {
  backend: 'its backend says',
  platform: 'the platform says',
  ours: 'changed here',
};

/** What differs, and which side says so; the page of the claim tells all of it. */
function driftNote({ kind, actual, by }: Chain['drifts'][number], more: number): string {
  const what = `${kind.replaceAll('-', ' ')}${actual === null ? '' : ` ${actual}`}`;
  return `not as declared: ${sides[by]} ${what}${more > 0 ? `, and ${more} more` : ''}`;
}

function volumeNote(chain: Chain): string | null {
  if (chain.missing_since) return 'its backend does not list it any more';
  if (chain.reachable === false) return 'no copy answers';
  const [drift] = chain.drifts;
  return drift ? driftNote(drift, chain.drifts.length - 1) : null;
}

function instanceNote({ instance, instance_to }: Chain): string | null {
  if (instance === null) return null;
  return `instance ${instance}${instance_to === null ? '' : `, on its way to ${instance_to}`}`;
}

function linksOf(chain: Chain, pods: readonly { uid: string; name: string; body: PlatformObject }[]): LineLink[] {
  const link = (
    kind: LineLink['kind'],
    name: string,
    mark: LineLink['mark'],
    ids: { platform?: string | null; backend?: string | null } = {},
    note: string | null = null,
  ): LineLink => ({
    kind,
    name,
    platformId: ids.platform ?? null,
    backendId: ids.backend ?? null,
    mark,
    note,
  });
  const links = [link('namespace', chain.namespace, 'settled', { platform: chain.namespace_uid })];
  const owner = pods[0]?.body.metadata.ownerReferences?.[0];
  if (owner) links.push(link('application', owner.name, 'settled', { platform: owner.uid }, owner.kind));
  for (const pod of pods) {
    const node = pod.body.spec?.nodeName as string | undefined;
    links.push(
      link(
        'pod',
        pod.name,
        node ? 'settled' : 'waiting',
        { platform: pod.uid },
        node ? `on ${node}` : 'not scheduled yet',
      ),
    );
  }
  links.push(link('claim', chain.name, claimMarks[chain.state], { platform: chain.uid }));
  if (chain.volume_name)
    links.push(
      link(
        'volume',
        chain.volume_name,
        volumeMark(chain),
        { platform: chain.volume_uid, backend: chain.volume_id },
        volumeNote(chain),
      ),
    );
  if (chain.class_name)
    links.push(link('class', chain.class_name, chain.class_uid ? 'settled' : 'person', { platform: chain.class_uid }));
  if (chain.pool_id)
    links.push(link('pool', chain.pool_id, 'settled', { backend: chain.pool_path }, instanceNote(chain)));
  if (chain.backend_id)
    links.push(
      link(
        'backend',
        chain.backend_id,
        chain.backend_reachable ? 'settled' : 'person',
        { backend: chain.backend_title },
        chain.backend_reachable ? null : 'does not answer',
      ),
    );
  for (const copy of chain.copies ?? []) {
    const [mark, words] = copyNotes[copy.state] ?? ['person', copy.state];
    const note = copy.state === 'Synchronizing' ? `${words}, ${copy.percent} %` : words;
    links.push(link('copy', copy.node || copy.disk, mark, { backend: copy.disk }, note));
  }
  if (chain.witness) links.push(link('copy', chain.witness, 'settled', {}, 'a witness, without data'));
  for (const { mode, pool, volume, backend, reachable } of chain.further)
    links.push(
      link(
        'copy',
        backend,
        !volume ? 'progress' : reachable ? 'settled' : 'person',
        { backend: volume },
        mode === 'synchronous' ? `the second copy, on ${pool}` : `the off-site copy, on ${pool}`,
      ),
    );
  return links;
}
