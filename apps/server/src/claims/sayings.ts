import type { ClaimSayings } from '@moorage/contract/claims';
import { provisioner } from '@moorage/core/classes/manifest';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import type { Sight } from '../people/sight';
import { PlatformProblem, type PlatformConnector, type Saying } from '../platform/connector';
import { Refusal } from '../refusals/refusal';
import { claimNamed, driverOf, podsOf } from './claims.sql';

/** Pods asked after; a share may have hundreds. */
const mostPods = 3;
const mostTold = 100;

/** What the platform itself says of a claim and of its first pods. A platform that does not answer is told, not waited for twice. */
export async function sayingsOf(
  database: Database,
  platform: PlatformConnector,
  sight: Sight,
  { namespace, name }: { readonly namespace: string; readonly name: string },
): Promise<ClaimSayings> {
  const claim = sight.sees(namespace) ? await first(claimNamed(database, namespace, name)) : undefined;
  if (!claim) throw Refusal.notFound('claim', `${namespace}/${name}`);
  const pods = (await podsOf(database, namespace, name)).slice(0, mostPods);
  const cls = claim.class_name === null ? undefined : await first(driverOf(database, claim.class_name));
  const driver = cls && cls.driver !== provisioner ? { name: cls.driver, nodes: cls.nodes } : null;
  const asked = [
    { of: 'claim' as const, kind: 'PersistentVolumeClaim', name, uid: claim.uid },
    ...pods.map(({ pod }) => ({ of: 'pod' as const, kind: 'Pod', name: pod })),
  ];
  const named =
    ({ of, name: subject }: (typeof asked)[number]) =>
    (saying: Saying) => ({ of, name: subject, ...saying });
  try {
    const said = await Promise.all(
      asked.map(async (about) => (await platform.sayingsOf(namespace, about)).map(named(about))),
    );
    const sayings = said
      .flat()
      .sort((a, b) => (a.first < b.first ? -1 : a.first > b.first ? 1 : 0))
      .slice(-mostTold);
    return { sayings, problem: null, driver };
  } catch (error) {
    if (!(error instanceof PlatformProblem)) throw error;
    return { sayings: [], problem: error.message, driver };
  }
}
