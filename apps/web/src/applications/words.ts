import type {
  ApplicationPlan,
  ApplicationRow,
  ApplicationSeen,
  MeasuredMoves,
  MoveSeen,
  ScalePlan,
} from '@moorage/contract/applications';
import type { CopyState } from '@moorage/core/applications/application';
import type { Spread, SpreadAct, WhyNot } from '@moorage/core/applications/spread';
import type { NodeRule } from '@moorage/core/applications/pods';
import { sizeText } from '@moorage/core/sizes/display';
import { durationText } from '../clusters/words';
import type { MarkKind } from '../marks/Mark';

type Brief = ApplicationRow['points'][number];
type Point = ApplicationSeen['points'][number];

export const copyWords: Record<CopyState, string> = {
  'in-sync': 'in step',
  resyncing: 'brought up to date',
  stale: 'out of date',
  lost: 'lost',
};
export const copyMarks: Record<CopyState, MarkKind> = {
  'in-sync': 'settled',
  resyncing: 'progress',
  stale: 'degraded',
  lost: 'lost',
};

/** How many of the replicas that are wanted are ready; of pods whose owner says nothing, those that there are. */
export const wantedOf = ({ wanted, pods }: Pick<ApplicationRow, 'wanted' | 'pods'>): number => wanted ?? pods;

/** How an application stands, by its replicas alone. */
export function readyMark(row: Pick<ApplicationRow, 'wanted' | 'pods' | 'ready'>): MarkKind {
  const wanted = wantedOf(row);
  if (wanted === 0) return 'waiting';
  if (row.ready >= wanted) return 'settled';
  return row.ready === 0 ? 'person' : 'degraded';
}

type Pod = ApplicationSeen['replicas'][number];

export function podMark({ ready, deleting, node, why }: Pod): MarkKind {
  if (deleting) return 'progress';
  if (ready) return 'settled';
  return node === null && why !== null ? 'person' : 'waiting';
}

/** What a pod does, in a word or two. */
export function podWord({ ready, deleting, node, why, phase }: Pod): string {
  if (deleting) return 'ending';
  if (ready) return `runs on ${node ?? '?'}`;
  if (node === null) return why ?? 'waits for a node';
  return phase === 'Running' ? `not ready on ${node}` : `starting on ${node}`;
}

const thing = ({ level, name }: Pick<Brief, 'level' | 'name'>): string => `${level} ${name}`;

const stops: Record<Brief['leaves'], string> = {
  none: 'all',
  'no-more-than-half': 'half or more',
  'more-than-half': 'several',
};

/** A common point in a few words, for a cell. */
export function briefWords(point: Brief): string {
  if (point.of === 'copies') return `${thing(point)} holds all copies`;
  if (point.of === 'witness') return `${thing(point)} holds copy and witness`;
  return `${thing(point)} stops ${stops[point.leaves]}`;
}

/** The first of the common points, and how many more there are. */
export function briefAll(points: readonly Brief[]): string {
  // most applications hang on one array: what is unlike the others comes first
  const isData = ({ level }: Brief) => level === 'pool' || level === 'backend';
  const sorted = [...points.filter((p) => !isData(p)), ...points.filter(isData)];
  const more = points.length - 1;
  return `${briefWords(sorted[0]!)}${more > 0 ? `, ${more} more` : ''}`;
}

/** So many of something. */
export const count = (n: number, one: string, many = `${one}s`): string =>
  n === 1 ? `1 ${one}` : `${n.toLocaleString('en-GB')} ${many}`;

/** What stops when it fails, and why. */
export function stopsWords(point: Point, replicas: number): string {
  if (point.of === 'copies')
    return `${count(point.claims.length, 'volume')}: every copy of ${point.claims.length === 1 ? 'it' : 'each'} is there`;
  if (point.of === 'witness')
    return `${count(point.claims.length, 'volume')}: the witness goes with the copy that it should outvote`;
  const data = point.pods.length - point.standing.length;
  const why = [
    ...(point.standing.length > 0 ? [`${point.standing.length} run there`] : []),
    ...(data > 0 ? [`${data} lose their data`] : []),
  ];
  return `${point.pods.length} of ${count(replicas, 'replica')}: ${why.join(', ')}`;
}

export const leavesWords: Record<Brief['leaves'], string> = {
  none: 'nothing runs',
  'no-more-than-half': 'no more than half runs',
  'more-than-half': 'more than half runs',
};

export function actWords(act: SpreadAct): string {
  switch (act.kind) {
    case 'pod':
      return `${act.pod} starts again elsewhere, on ${act.to} for example`;
    case 'copy':
      return `a copy of ${act.claim} goes from ${act.fromNode} to ${act.toNode}`;
    case 'witness':
      return `the witness of ${act.claim} goes to ${act.toNode}`;
    case 'volume':
      return `${act.claim} goes to ${act.to}`;
  }
}

/** Why a point stays. */
function noneWords(why: WhyNot, { level }: Pick<Brief, 'level'>, classes: readonly string[]): string {
  if (why === 'not-in-step') return 'First its copies have to be in step again';
  if (level === 'pool' || level === 'backend')
    return `Its class (${classes.join(', ')}) is moored to no other ${level} that would take it`;
  return why === 'no-other'
    ? `There is no other ${level} that it could be on`
    : `No other ${level} has room for it now`;
}

/** What would take a point away, one thing a line, at most three; or why nothing does. */
export function spreadLines(
  spread: Spread,
  point: Pick<Brief, 'level'>,
  classes: readonly string[],
): readonly string[] {
  if (spread.kind === 'none') return [noneWords(spread.why, point, classes)];
  const shown = spread.acts.slice(0, 3).map(actWords);
  const more = spread.acts.length - shown.length;
  return [...shown, ...(more > 0 ? [`${more} more`] : [])];
}

/** What a change copies. */
export const copiedWords = (spread: Spread): string =>
  spread.kind === 'none' ? '–' : spread.bytes > 0 ? sizeText(spread.bytes) : 'nothing';

const ruleWords: Record<NodeRule, string> = {
  cordoned: 'cordoned',
  taint: 'kept off by a taint',
  'not-ready': 'not ready',
  selector: 'not asked for',
  'volume-zone': 'out of reach of its volumes',
  'attach-limit': 'full of volumes',
  pods: 'full of pods',
  cpu: 'short of processor',
  memory: 'short of memory',
  spread: 'beside others of it',
};

/** Why no node takes a pod. */
export const againstWords = (against: ApplicationPlan['pods'][number]['against']): string =>
  against.length === 0
    ? 'there is no node'
    : against.map(({ rule, nodes }) => `${nodes} ${nodes === 1 ? 'node' : 'nodes'} ${ruleWords[rule]}`).join(', ');

/** The plan in a sentence. */
export function planSentence({ claims, pods, fits, missing }: ApplicationPlan): string {
  if (missing.length > 0) return `There is no class ${missing.join(', ')} of ours.`;
  const placed = pods.filter((p) => p.node !== null).length;
  const fresh = claims.filter((c) => !c.isThere);
  const bound = fresh.filter((c) => c.pool !== null).length;
  const there = claims.length - fresh.length;
  const parts = [
    count(pods.length, 'pod'),
    ...(fresh.length > 0 ? [count(fresh.length, 'new claim')] : []),
    ...(there > 0 ? [`${count(there, 'claim')} there from before`] : []),
  ];
  if (fits) return `All of it fits: ${parts.join(', ')}.`;
  const pools = fresh.length > 0 ? `of ${count(fresh.length, 'new claim')} ${bound} with a pool, ` : '';
  return `It does not fit: ${pools}of ${count(pods.length, 'pod')} ${placed} with a node.`;
}

/** What a set says that its plan does not rest on. */
export const notReadSentence = (members: readonly string[]): string =>
  `Its pods say ${members.join(', ')}, which is not reckoned here: the platform may put them on other nodes than those below.`;

/** Who has a volume that a pod waits for, and the safe way to it. */
export function holderSentence(waiting: string, { claim, node, ready, pod, ending }: Pod['waitsFor'][number]): string {
  const has = `${waiting} waits for ${claim}: it is attached to ${node}`;
  if (!ready)
    return `${has}, which is not heard of and cannot let go of it. Bring that machine back; or switch it off, be sure of it, and declare it off.`;
  if (pod === null) return `${has}, where nothing uses it any more. The platform takes it from there by itself.`;
  if (ending) return `${has} until the pod ${pod} there has ended.`;
  return `${has}, where the pod ${pod} uses it. It is let go when that pod has ended: end that one first, or let ${waiting} run on ${node} as well.`;
}

type Locality = ApplicationSeen['locality'][number];

/** How many replicas read from their own nodes, of those whose class wants it. */
export function localitySentence(locality: readonly Locality[]): string {
  const own = locality.filter((l) => l.claims.every((c) => c.isLocal)).length;
  return own === locality.length
    ? `All ${count(locality.length, 'replica')} whose class wants it read from their own nodes.`
    : `${own} of ${count(locality.length, 'replica')} whose class wants it ${own === 1 ? 'reads' : 'read'} from their own nodes; the others read over the network.`;
}

/** What would make a replica read from its own node, and what each costs; `outFor`: seconds that pods were out so far. */
export function localityWays(
  { pod, node, podTo, claims }: Locality,
  outFor: number | undefined,
): { readonly text: string; readonly cost: string }[] {
  const copies = claims.flatMap(({ claim, isLocal, copyTo }) =>
    !isLocal && copyTo
      ? [
          {
            text: `a copy of ${claim} goes from ${copyTo.fromNode} to ${node}`,
            cost: `${sizeText(copyTo.bytes)} copied`,
          },
        ]
      : [],
  );
  const some = podTo && podTo.local < claims.length ? `, where ${podTo.local} of ${claims.length} volumes lie` : '';
  const starts = podTo
    ? [
        {
          text: `${pod} starts again on ${podTo.node}${some}`,
          cost: outFor === undefined ? 'out while it starts' : `out for about ${seconds(outFor)}`,
        },
      ]
    : [];
  const ways = [...copies, ...starts];
  return ways.length > 0
    ? ways
    : [{ text: `nothing: no disk of ${node} has room for a copy, and no node with one takes pods`, cost: '–' }];
}

type Template = ApplicationSeen['templates'][number];

/** What the platform will and will not do about the size that a template asks for. */
export function templateSentence(
  { name, bytes, className }: Template,
  claims: readonly Pick<ApplicationSeen['claims'][number], 'requested'>[],
): string {
  const size = sizeText(bytes);
  const grown = claims.filter((c) => c.requested > bytes).length;
  const already =
    grown > 0 ? ` ${count(grown, 'claim')} ${grown === 1 ? 'asks' : 'ask'} for more than that by now.` : '';
  const made =
    claims.length > 0
      ? `Its ${count(claims.length, 'claim')} can grow, one after the other, each with what its pool has; none shrinks.${already}`
      : 'No claim was made so far.';
  return `Replicas of the template ${name} ask for ${size} of ${className ?? 'the default class'}. ${made} The platform does not let that size be changed in a set that is there: replicas that are added later ask for ${size} still, and have to be grown then. Only a set that is deleted without its pods (they are left as orphans) and made again has another; its pods and claims stay.`;
}

/** What becomes of the claims of replicas that go. */
export function goingSentence({ from, to, claims, whenScaled, destroyed }: ScalePlan): string {
  const pods =
    from - to === 1 ? '1 replica goes' : `${(from - to).toLocaleString('en-GB')} replicas go, the last first`;
  if (claims.length === 0) return `${pods}. No claims go with it.`;
  const written = claims.reduce((sum, c) => sum + c.written, 0);
  const [held, one] = [`${count(claims.length, 'claim')} with ${sizeText(written)} written`, claims.length === 1];
  if (whenScaled === 'Retain')
    return `${pods}. ${held} ${one ? 'stays, and is' : 'stay, and are'} taken up again when there are as many replicas.`;
  return destroyed > 0
    ? `${pods}. ${held} ${one ? 'is' : 'are'} deleted as well, and ${sizeText(destroyed)} of data is destroyed for good: the set says so (whenScaled: Delete).`
    : `${pods}. ${held} ${one ? 'is' : 'are'} deleted as well (whenScaled: Delete); the class keeps what was written.`;
}

/** Seconds, to the tenth where they are few. */
export const seconds = (of: number): string => (of < 10 ? `${of.toFixed(1)} s` : `${Math.round(of)} s`);

/** Seconds from one moment to another; nothing as long as one is missing. */
export function between(from: string | null, to: string | null): string {
  if (from === null || to === null) return '–';
  return seconds(Math.max(0, (Date.parse(to) - Date.parse(from)) / 1000));
}

/** What a pod on its way back waits for. */
export function moveStep({ goneAt, detachedAt, placedAt, attachedAt, readyAt, from, to }: MoveSeen): string {
  if (readyAt !== null) return to === from ? `back on ${from}` : `back on ${to ?? '?'}`;
  if (goneAt === null) return `ending on ${from}`;
  if (placedAt === null) return 'waits for a node';
  if (attachedAt === null && to !== from)
    return detachedAt === null ? `its volumes are still on ${from}` : `its volumes go to ${to ?? '?'}`;
  return `starting on ${to ?? '?'}`;
}

type Behind = ApplicationSeen['behind'][number];

export const rateText = ({ rate }: Behind): string => (rate === null ? '–' : `${sizeText(rate)}/s`);
export const readyText = ({ state, ready }: Behind): string => {
  if (ready !== null) return durationText(ready);
  return state === 'resyncing' ? 'not known yet' : 'when its node or disk is back';
};

/** How far copies that are behind have come together, and what goes before them. */
export function behindSentence(behind: readonly Behind[]): string {
  const moving = behind.filter((b) => b.state === 'resyncing');
  const away = behind.length - moving.length;
  const left = moving.reduce((sum, b) => sum + b.left, 0);
  const known = moving.flatMap((b) => b.ready ?? []);
  const last =
    known.length === moving.length && known.length > 0 ? `, the last in ${durationText(Math.max(...known))}` : '';
  return [
    ...(moving.length > 0
      ? [
          `${count(moving.length, 'copy', 'copies')} brought up to date, ${sizeText(left)} left${last}. What applications read and write goes first: it slows while they are busy.`,
        ]
      : []),
    ...(away > 0
      ? [
          `${count(away, 'copy', 'copies')} out of reach: what is written meanwhile is not on ${away === 1 ? 'it' : 'them'}.`,
        ]
      : []),
  ].join(' ');
}

type Held = MoveSeen['data'][number];

export const dataMarks: Record<NonNullable<Held['comparison']>, MarkKind> = {
  same: 'settled',
  continued: 'settled',
  short: 'lost',
  other: 'lost',
  unknown: 'waiting',
};

/** Whether what a claim held before a way is what it holds after it. */
export function dataWords({ before, after, comparison }: Held): string {
  const writes = count(before.writes, 'write');
  switch (comparison) {
    case null:
      return `${writes} before`;
    case 'same':
      return `the same, ${writes}`;
    case 'continued':
      return `all ${writes}, then ${count(after!.writes - before.writes, 'more', 'more')}`;
    case 'short':
      return `${count(before.writes - after!.writes, 'write')} of ${before.writes.toLocaleString('en-GB')} missing`;
    case 'other':
      return 'other data than before';
    case 'unknown':
      return `${writes} before, after not told`;
  }
}

/** How long it took so far, in a sentence. */
export function measuredSentence({ className, backend, count: of, half, most, longest }: MeasuredMoves): string {
  const what = `${className ?? 'no class'} on ${backend ?? 'no backend'}`;
  if (of < 4) return `${what}: measured ${count(of, 'time')} so far, at most ${seconds(longest)} until ready again.`;
  return `${what}: of the last ${count(of, 'time')}, half were ready again within ${seconds(half)}, nine of ten within ${seconds(most)}; the longest took ${seconds(longest)}.`;
}
