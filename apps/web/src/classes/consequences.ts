import { isHere, type PlacementState } from '@moorage/contract/moorings';
import { toCorePool } from '@moorage/contract/pool-state';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { survives } from '@moorage/core/classes/survival';
import { makeOffer } from '@moorage/core/placement/offer';
import { offsiteClass } from '@moorage/core/classes/elsewhere';
import { copiesOffered, copiesOn, footprintFactor, givesMode } from '@moorage/core/pools/pool';
import type { Pool } from '@moorage/core/pools/pool-state';
import { ruleTitles } from '../moorings/check-words';
import { foolish, impossible, names, plain, type Consequence } from './consequence';
import { servingPools, shutOutBy } from './pool-lines';
import { speed } from './speed';

/** What may fail without loss, and without interruption. */
function survival(cls: StorageClass): string {
  const failures = (n: number) => (n === 0 ? 'no failure' : n === 1 ? '1 failure' : `${n} failures`);
  const { withoutLoss, withoutInterruption } = survives(cls);
  const apart = cls.shards ? 'shards' : 'copies';
  return `Survives ${failures(withoutLoss)} of a ${cls.level} without loss, ${failures(withoutInterruption)} without interruption (${apart} kept in different ${cls.level}s).`;
}

/** What a class may demand and this product does not carry out yet: said where it is asked, so that nobody relies on it. */
const notYet = {
  safeguard:
    'Only pools that take snapshots are used. The snapshots themselves are not taken yet: do not count on them.',
  witness: 'The third vote is kept for it on a third domain; the backend is not told of it yet.',
} as const;

/** The copy at another site: which pools could keep it, and what it takes there. */
function elsewhere(cls: StorageClass, state: PlacementState): Consequence {
  const asked = offsiteClass(cls);
  const able = state.pools
    .filter((p) => !isHere(state, p))
    .map(toCorePool)
    .filter((p) => makeOffer(p, asked).firstFailed === undefined);
  if (able.length === 0)
    return impossible(
      'A copy at another site needs a pool there that can keep it; no backend of another site has one.',
    );
  const takes = able.map((p) => `${Number(footprintFactor(p, asked.copies).toFixed(2))} on ${p.name}`);
  return plain(
    `Another volume is kept at another site: each byte takes ${takes.join(', ')} there as well. It is written later: what was written last is missing there after a disaster. Moor the class to ${names(able)} for it.`,
  );
}

function copies(cls: StorageClass, pools: readonly Pool[], state: PlacementState): Consequence[] {
  const passes = (pool: Pool, of: StorageClass) => {
    const { checks } = makeOffer(pool, of);
    return (['copies', 'domain-level', 'witness', 'pinned-nodes', 'offsite'] as const).every(
      (rule) => checks[rule].passed,
    );
  };
  const able = pools.filter((p) => passes(p, cls));
  const unable = pools.filter((p) => !able.includes(p));
  const found: Consequence[] = [];
  if (cls.copies === 1)
    found.push(foolish('One copy: where a pool keeps no inner copies, the loss of one disk loses the data.'));
  else found.push(plain(survival(cls)));
  const spread = able.filter((p) => copiesOn(p, cls.copies) > 1);
  if (cls.copies === 2 && !cls.witness && spread.length > 0)
    found.push(foolish('Two copies without a witness: when they lose sight of each other, neither may write alone.'));
  if (cls.witness && (cls.copies !== 2 || cls.shards))
    found.push(impossible('A witness decides between two copies; with another number it has no use.'));
  if (cls.witness && cls.copies === 2 && !cls.shards) found.push(foolish(notYet.witness));
  if (cls.offsite) found.push(elsewhere(cls, state));
  if (cls.secondCopy) {
    // the first volume sends the copy off site, so the second need not be able to
    const seconds = pools.filter((p) => passes(p, { ...cls, offsite: false }));
    if (!able.some((a) => seconds.some((b) => b.backend !== a.backend)))
      found.push(
        impossible('A second copy needs pools of two backends that can keep the class; there is one at most.'),
      );
    else
      found.push(
        plain(
          `A second volume is kept on another backend that the class is moored to: every byte is kept on both, and a whole backend may fail without loss. The price below counts both.`,
        ),
      );
  }
  const domains = Math.max(0, ...pools.map((p) => (copiesOffered(p).by === 'domains' ? copiesOffered(p).most : 0)));
  if (able.length === 0) {
    const many = cls.copies > domains && domains > 0 ? ` There are ${domains} failure domains at most.` : '';
    const what = cls.shards ? `${cls.shards.data}+${cls.shards.parity} shards` : `${cls.copies} copies`;
    found.push(impossible(`No pool can keep ${what} like this: every claim would stay pending.${many}`));
  } else if (unable.length > 0) found.push(plain(`Copies like these cannot be kept by ${names(unable)}.`));
  const serving = servingPools(pools, cls);
  const shut = able.filter((p) => !serving.includes(p));
  if (able.length > 0 && serving.length === 0)
    found.push(
      impossible(
        `The pools that keep such copies are shut out by other answers: ${shut.map((p) => `${p.name} (${ruleTitles[shutOutBy(p, cls)!].toLowerCase()})`).join(', ')}. Every claim would stay pending.`,
      ),
    );
  else if (shut.length > 0)
    found.push(
      plain(
        `Shut out by other answers: ${shut.map((p) => `${p.name} (${ruleTitles[shutOutBy(p, cls)!].toLowerCase()})`).join(', ')}.`,
      ),
    );
  if (cls.level !== 'node' && able.length > 0 && able.every((p) => p.redundancy.kind === 'inner'))
    found.push(foolish(`No pool spreads copies over ${cls.level}s; an array keeps them within itself.`));
  if (cls.zones.length > 0) found.push(plain(`Volumes can be used from ${cls.zones.join(', ')} only.`));
  if (cls.pinnedNodes.length > 0 && cls.pinnedNodes.length <= cls.copies)
    found.push(foolish(`With ${cls.pinnedNodes.length} pinned nodes no copy can be made anew when one of them fails.`));
  return found;
}

function keeping(cls: StorageClass, pools: readonly Pool[]): Consequence[] {
  const found: Consequence[] = [];
  const shuts = (rule: 'protocol' | 'encryption' | 'reduction', nothing: string, all: string) => {
    const unable = pools.filter((p) => !makeOffer(p, cls).checks[rule].passed);
    if (pools.length > 0 && unable.length === pools.length) found.push(impossible(nothing));
    else found.push(plain(unable.length ? `Shuts out ${names(unable)}: ${all}` : 'Every pool can do that.'));
  };
  if (cls.protocols.length > 0) {
    const asked = cls.protocols.join(' or ');
    shuts('protocol', `No pool is reached by ${asked}: every claim would stay pending.`, `not reached by ${asked}.`);
  }
  if (cls.encrypted) shuts('encryption', 'No pool encrypts: every claim would stay pending.', 'no encryption there.');
  else found.push(plain('Encrypted only where the pool does so by itself.'));
  if (cls.compression || cls.deduplication)
    shuts('reduction', 'No pool reduces data like this: every claim would stay pending.', 'they do not reduce data.');
  // advice names only pools that no other answer has shut out
  const files = servingPools(pools, cls).filter((p) => givesMode(p, 'ReadWriteMany', 'Filesystem'));
  if (cls.purpose === 'shared-files') {
    if (cls.volumeMode === 'Block')
      found.push(impossible('Files that many nodes write need a file system; a raw block device has one writer node.'));
    else if (files.length === 0)
      found.push(impossible('No pool serves files: block storage gives one writer node, and many writers never bind.'));
    else found.push(plain(`Many nodes can write on ${names(files)}; moor the class there.`));
  }
  if (cls.root !== undefined) {
    const shared = pools.filter((p) => givesMode(p, 'ReadWriteMany', 'Filesystem'));
    if (shared.length === 0)
      found.push(foolish('No pool serves files: what root on a node writes is told of shares alone.'));
    else if (cls.root === 'kept')
      found.push(plain('Whoever is root on a node, or in a pod, may change every file of a share.'));
    else found.push(plain('What root on a node writes to a share is nobody’s; pods that run as root may be refused.'));
  }
  if (cls.volumeMode === 'Block' && cls.fileSystem)
    found.push(foolish('A raw block device has no file system: this setting does nothing.'));
  if (cls.volumeMode !== 'any')
    found.push(plain(`Claims that ask for another mode than ${cls.volumeMode} are refused.`));
  return found;
}

function ending(cls: StorageClass, pools: readonly Pool[], databases: boolean): Consequence[] {
  const found: Consequence[] = [];
  const days = `${cls.graceDays} ${cls.graceDays === 1 ? 'day' : 'days'}`;
  if (cls.reclaim === 'Retain')
    found.push(
      plain(
        `When a claim is deleted its volume is kept, adrift: it still counts, and can be given to a claim again.${cls.graceDays > 0 ? ` For ${days} nobody may destroy it.` : ''}`,
      ),
    );
  else if (cls.graceDays > 0)
    found.push(plain(`When a claim is deleted its volume is kept for ${days}, offline, and destroyed then.`));
  else if (databases)
    found.push(
      foolish('Databases use it, and deleting a claim destroys its data at once: give it a grace, or Retain.'),
    );
  else found.push(foolish('Deleting a claim destroys its data at once.'));
  found.push(
    cls.binding === 'Immediate'
      ? plain('A claim gets its volume at once, before anyone knows where the pod will run.')
      : plain('A claim waits for its first pod; its volume is placed to suit that pod.'),
  );
  if (cls.locality && cls.binding === 'Immediate')
    found.push(
      foolish('A copy on the first pod’s node needs that node known: let the volume be made with its first pod.'),
    );
  const rigid = pools.filter((p) => !p.expansion);
  if (!cls.expansion) found.push(plain('Volumes keep their size for good; a claim that is too small must be moved.'));
  else
    found.push(
      plain(
        rigid.length
          ? `Shuts out ${names(rigid)}, whose volumes cannot grow.`
          : 'Teams may ask for more later, never for less.',
      ),
    );
  if (cls.safeguard) {
    found.push(foolish(notYet.safeguard));
    const { everyHours, keep } = cls.safeguard;
    const unable = pools.filter((p) => !p.snapshots);
    if (pools.length > 0 && unable.length === pools.length)
      found.push(impossible('No pool takes snapshots: every claim would stay pending.'));
    else
      found.push(
        plain(
          `Would reach back ${((everyHours * keep) / 24).toLocaleString('en-GB', { maximumFractionDigits: 1 })} days, losing ${everyHours} h of work at worst.${unable.length ? ` Shuts out ${names(unable)}.` : ''}`,
        ),
      );
  }
  return found;
}

function tuning(cls: StorageClass): Consequence[] {
  if (cls.allowances.length === 0) return [plain('Claims take the class as it is.')];
  return cls.allowances.map(({ setting, minimum, maximum, namespaces }) => {
    const who = namespaces.length > 0 ? namespaces.join(', ') : 'Every namespace';
    const text = `${who} may ask for ${setting} from ${minimum.toLocaleString('en-GB')} to ${maximum.toLocaleString('en-GB')}, with the annotation vast-moorage.example/${setting}.`;
    if (setting === 'copies' && cls.shards) return impossible('Shards are the pool’s; a claim cannot tune copies.');
    if (setting === 'copies' && minimum === 1) return foolish(`${text} One copy may lose data.`);
    return plain(text);
  });
}

export type Consequences = Readonly<Record<'copies' | 'speed' | 'keeping' | 'ending' | 'tuning', Consequence[]>>;

/** What a class would bring about on the live state, question by question. `usedBy` counts claims of stateful sets that use it. */
export function consequencesOf(cls: StorageClass, state: PlacementState, usedBy = 0): Consequences {
  const pools = state.pools.filter((p) => isHere(state, p)).map(toCorePool);
  return {
    copies: copies(cls, pools, state),
    speed: speed(cls, servingPools(pools, cls)),
    keeping: keeping(cls, pools),
    ending: ending(cls, pools, cls.purpose === 'databases' || usedBy > 0),
    tuning: tuning(cls),
  };
}
