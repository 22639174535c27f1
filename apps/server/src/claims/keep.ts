import { claiming } from '@moorage/contract/endpoints/endpoint';
import type { ActRoom, Acts } from '../acts/acts';
import { actKind } from '../acts/kind';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import type { Sight } from '../people/sight';
import { Refusal } from '../refusals/refusal';
import { reservations } from '../reservations/reservation-model';
import { reservedFor } from '../reservations/reservation.sql';
import { claimNamed } from './claims.sql';

interface Kept {
  readonly claim: string;
  readonly subject: string;
}

/** A volume that is kept whatever becomes of its claim: the platform is told first, since it decides at the end. */
export const keepingVolume = (database: Database): ActRoom<Kept, null> => ({
  kind: actKind('keep', 'Keeping a volume', claiming),
  write: async ({ inside: { claim } }) => {
    await reservations.in(database).update({ reclaim: 'Retain', graceDays: 0 }, { where: { claimUid: claim } });
    return null;
  },
  tells: ({ subject }) => [{ topic: 'claims', subject }],
});

/** Keeps the volume of a claim, also of one that was deleted and waits for its pods. */
export async function keepVolume(
  database: Database,
  acts: Acts,
  sight: Sight,
  { namespace, name }: { readonly namespace: string; readonly name: string },
  person: string,
): Promise<void> {
  const subject = `${namespace}/${name}`;
  await acts.inTurn(keepingVolume(database), [`claim ${subject}`], person, async () => {
    const claim = sight.sees(namespace) ? await first(claimNamed(database, namespace, name)) : undefined;
    if (!claim) throw Refusal.notFound('claim', subject);
    const held = await first(reservedFor(database, claim.uid));
    if (!held || held.state !== 'bound')
      throw new Refusal(
        'conflict',
        'no-volume',
        'It has no volume of ours',
        `${subject} holds no volume that was made here: there is nothing to keep. Nothing was changed.`,
      );
    if (held.reclaim === 'Retain') return undefined;
    const policy = (of: string) => ({
      ...{ apiVersion: 'v1', kind: 'PersistentVolume', metadata: { name: held.pv_name } },
      spec: { persistentVolumeReclaimPolicy: of },
    });
    return {
      ...{ about: subject, namespace, inside: { claim: claim.uid, subject } },
      steps: [{ step: { do: 'patch', object: policy('Retain'), back: policy(held.reclaim) } }],
      entries: [
        {
          ...{ action: 'change', kind: 'volume', subject },
          ...{ before: { reclaim: held.reclaim }, after: { reclaim: 'Retain' } },
        },
      ],
    };
  });
}
