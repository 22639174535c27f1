import type { Application, Ground, Replica, StandingCopy, UsedClaim, VolumePart } from './application';
import type { SpreadAct } from './spread';

/** Twelve nodes in three zones of two racks, as the tests' harbour has them. */
export const ground: Ground = new Map(
  Array.from({ length: 12 }, (_, i) => {
    const zone = ['north', 'middle', 'south'][Math.floor(i / 4)]!;
    return [`quay-${i + 1}`, { zone, rack: `${zone}-${i % 4 < 2 ? 1 : 2}` }];
  }),
);

/** Copies in step on a disk of each of these nodes; `w:` before a node makes it a witness. */
export const copiesOn = (...nodes: string[]): StandingCopy[] =>
  nodes.map((text) => {
    const node = text.replace(/^w:/, '');
    return { disk: `${node}-d1`, node, state: 'in-sync', role: text.startsWith('w:') ? 'witness' : 'data' };
  });

export const aPart = (pool: string, copies: StandingCopy[] = [], part: Partial<VolumePart> = {}): VolumePart => ({
  ...{ pool, backend: pool.split('-')[0]!, copies },
  ...part,
});

export const aClaim = (name: string, ...parts: VolumePart[]): UsedClaim => ({ name, bytes: 2 ** 30, parts });

export const aReplica = (pod: string, node: string | undefined, ...claims: UsedClaim[]): Replica => ({
  ...{ pod, claims },
  ...(node !== undefined && { node }),
});

/** The application as it is once the acts were carried out. */
export function afterActs(application: Application, acts: readonly SpreadAct[]): Application {
  return {
    replicas: application.replicas.map((r) => {
      const moved = acts.find((a) => a.kind === 'pod' && a.pod === r.pod);
      return {
        ...r,
        ...(moved && { node: moved.to }),
        claims: r.claims.map((claim) => ({
          ...claim,
          parts: claim.parts.map((part, i) => {
            if (i > 0) return part;
            const to = acts.find((a) => a.kind === 'volume' && a.claim === claim.name);
            if (to) return aPart(to.to);
            const copies = part.copies.map((copy) => {
              const away = acts.find(
                (a) => (a.kind === 'copy' || a.kind === 'witness') && a.claim === claim.name && a.from === copy.disk,
              );
              return away && 'toNode' in away ? { ...copy, disk: away.to, node: away.toNode } : copy;
            });
            return { ...part, copies };
          }),
        })),
      };
    }),
  };
}
