import { claiming } from '@moorage/contract/endpoints/endpoint';
import type { Candidates } from '@moorage/contract/static-volumes';
import { bestMatch, rankVolumes, refusedBy, type Selector, type StaticClaim } from '@moorage/core/claims/static';
import { nearest } from '@moorage/core/classes/manifest';
import type { AccessMode, VolumeMode } from '@moorage/core/classes/storage-class';
import { staticRuleWords } from '@moorage/contract/static-words';
import type { ActRoom, Acts } from '../acts/acts';
import { actKind } from '../acts/kind';
import { claimNamed } from '../claims/claims.sql';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { findMirrored, isMirrored } from '../mirror/mirrored';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { staticVolumeOf } from './static-volume';
import { freeVolumes } from './static-volumes.sql';

const mostVolumes = 200;

interface ClaimSpec {
  readonly storageClassName?: string;
  readonly accessModes?: AccessMode[];
  readonly volumeMode?: VolumeMode;
  readonly volumeName?: string;
  readonly selector?: Selector;
}
interface At {
  readonly namespace: string;
  readonly name: string;
}

async function askedBy(database: Database, sight: Sight, { namespace, name }: At): Promise<StaticClaim> {
  const row = sight.sees(namespace) ? await first(claimNamed(database, namespace, name)) : undefined;
  if (!row) throw Refusal.notFound('claim', `${namespace}/${name}`);
  const spec = row.body.spec as ClaimSpec;
  return {
    ...{ namespace, name, uid: row.uid, className: spec.storageClassName ?? '', modes: spec.accessModes ?? [] },
    ...{ volumeMode: spec.volumeMode ?? 'Filesystem', size: row.size_bytes, volumeName: spec.volumeName ?? '' },
    ...(spec.selector && { selector: spec.selector }),
  };
}

const handleOf = (spec: unknown): string | null =>
  (spec as { csi?: { volumeHandle?: string } } | undefined)?.csi?.volumeHandle ?? null;

/** The volumes made beforehand for a claim, ranked, each with its surplus and the rules that refuse it. */
export async function listCandidates(database: Database, sight: Sight, at: At): Promise<Candidates> {
  const claim = await askedBy(database, sight, at);
  const found = (await freeVolumes(database, claim.className, claim.size, mostVolumes + 1)).map((v) => v.body);
  const handles = new Map(found.map((v) => [v.metadata.name, handleOf(v.spec)]));
  const volumes = found
    .slice(0, mostVolumes)
    .map(staticVolumeOf)
    // what is reserved for a claim of another namespace is nothing of theirs to see
    .filter((v) => v.reservedFor === undefined || sight.sees(v.reservedFor.namespace));
  return {
    candidates: rankVolumes(volumes, claim).map(({ volume, surplus, reserved, refused }) => ({
      ...{ name: volume.name, className: volume.className, modes: [...volume.modes], volumeMode: volume.volumeMode },
      ...{ capacity: volume.capacity, surplus, reserved, refused: [...refused], createdAt: volume.createdAt },
      reservedFor: volume.reservedFor
        ? { namespace: volume.reservedFor.namespace, name: volume.reservedFor.name }
        : null,
      handle: handles.get(volume.name) ?? null,
    })),
    best: bestMatch(volumes, claim)?.name ?? null,
    named: claim.volumeName
      ? {
          name: claim.volumeName,
          exists: await isMirrored(database, 'persistentvolumes', claim.volumeName),
          nearest:
            nearest(
              claim.volumeName,
              volumes.map((v) => v.name),
            ) ?? null,
        }
      : null,
    more: found.length > mostVolumes,
  };
}

/** A claim that is given a volume by hand names it; the platform then binds these two and no others. */
export const namingVolume: ActRoom<null, null> = {
  kind: actKind('volume-by-hand', 'Giving a claim a volume', claiming),
  write: () => Promise.resolve(null),
  tells: () => [{ topic: 'claims' }],
};

/** Lets a claim that waits name the volume that it is to have. Of two claims that are given the same, the second is told. */
export async function nameVolume(
  database: Database,
  acts: Acts,
  sight: Sight,
  at: At,
  volumeName: string,
  person: string,
): Promise<void> {
  const subject = `${at.namespace}/${at.name}`;
  await acts.inTurn(namingVolume, [`claim ${subject}`, `volume ${volumeName}`], person, async () => {
    const claim = await askedBy(database, sight, at);
    const mirrored = await findMirrored(database, 'persistentvolumes', volumeName);
    const volume = mirrored && staticVolumeOf(mirrored.body);
    if (!volume || (volume.reservedFor && !sight.sees(volume.reservedFor.namespace)))
      throw Refusal.notFound('persistent volume', volumeName);
    if (claim.volumeName)
      throw new Refusal(
        'conflict',
        'has-volume',
        'It names a volume already',
        `${subject} names the volume ${claim.volumeName}, and the platform lets a claim do that once. Nothing was changed.`,
      );
    const refused = refusedBy(volume, claim);
    if (refused.length > 0)
      throw new Refusal(
        'conflict',
        'does-not-match',
        'The volume does not match',
        `${volumeName} cannot be had by ${subject}: ${refused.map((rule) => staticRuleWords[rule]).join('; ')}. Nothing was changed.`,
      );
    const named = (volumeNamed: string | null) => ({
      ...{ apiVersion: 'v1', kind: 'PersistentVolumeClaim', metadata: { name: at.name, namespace: at.namespace } },
      spec: { volumeName: volumeNamed },
    });
    const entry = { action: 'change', kind: 'claim', subject, after: { volume: volumeName } } as const;
    return {
      ...{ about: subject, namespace: at.namespace, inside: null, entries: [entry] },
      steps: [{ step: { do: 'patch', object: named(volumeName), back: named(null) } }],
    };
  });
}
