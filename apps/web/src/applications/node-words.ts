import type { DrainSeen, NodeSeen } from '@moorage/contract/applications';
import { durationText } from '../clusters/words';
import type { MarkKind } from '../marks/Mark';
import { againstWords, count, seconds } from './words';

/** How a node stands. */
export function nodeStanding({ ready, cordoned, draining, off }: NodeSeen): { kind: MarkKind; word: string } {
  if (off) return { kind: 'waiting', word: ready ? 'back, declared off' : 'declared off' };
  if (!ready) return { kind: 'lost', word: 'not heard of' };
  if (draining !== null) return { kind: 'progress', word: 'draining' };
  return cordoned ? { kind: 'waiting', word: 'takes no pods' } : { kind: 'settled', word: 'takes pods' };
}

/** What becomes of a pod when its node is drained. */
export function fateWords(fate: DrainSeen['pods'][number]['fate']): string {
  if (fate.kind === 'stays') return 'stays: one is kept on every node';
  if (fate.kind === 'moves') return `starts again on ${fate.to}${fate.waits ? ', once its budget allows it' : ''}`;
  switch (fate.why) {
    case 'no-owner':
      return 'cannot leave: nothing would start it again';
    case 'local-data':
      return 'cannot leave: it keeps data on the node itself';
    case 'budget':
      return `cannot leave: its budget ${fate.budget} never lets one go`;
    case 'no-node':
      return `cannot leave: ${againstWords(fate.against)}`;
  }
}

/** The plan of a drain in a sentence, with how long it takes by what was measured here. */
export function drainSentence({ node, pods, isPossible, lastCopies, measured }: DrainSeen): string {
  if (lastCopies.length > 0)
    return `It cannot be drained: the last copy in step of ${lastCopies.slice(0, 3).join(', ')}${lastCopies.length > 3 ? ` and ${lastCopies.length - 3} more` : ''} lies on ${node}.`;
  const stuck = pods.filter((p) => p.fate.kind === 'cannot').length;
  if (!isPossible) return `It cannot be drained: ${stuck} of ${count(pods.length, 'pod')} cannot leave.`;
  const moving = pods.filter((p) => p.fate.kind === 'moves').length;
  if (moving === 0) return 'No pod has to leave.';
  const time = measured
    ? ` Each was back within ${seconds(measured.half)} in half of ${count(measured.count, 'time')} so far, within ${seconds(measured.most)} in nine of ten.`
    : '';
  return `${count(moving, 'pod')} ${moving === 1 ? 'leaves' : 'leave'}, with ${count(
    pods.reduce((sum, p) => sum + (p.fate.kind === 'moves' ? p.claims.length : 0), 0),
    'volume',
  )} to detach and attach elsewhere.${time}`;
}

/** What is stuck on a node that is not heard of, and what the platform does next. */
export function lostSentence(node: NodeSeen, now = Date.now()): string {
  const { name, ready, off, ending } = node;
  const stuck = `${count(ending, 'pod')} ${ending === 1 ? 'was' : 'were'} told to end there and cannot without it`;
  if (off && ready)
    return `${name} is heard of again, and takes no pods as long as it is declared off. Take that back once it is to be used.`;
  if (off)
    return ending > 0
      ? `${name} is declared off. ${stuck} yet; the platform lets them go.`
      : `${name} is declared off. Nothing is stuck on it.`;
  const next = staysSentence(node, now);
  return ending > 0
    ? `${stuck}: volumes with one writer stay attached to it, and the pods in their place wait. The platform waits for the node, and lets go of nothing by itself.${next && ` ${next}`}`
    : next || 'No pod is on it that the platform would start elsewhere.';
}

/** What the platform does next with pods on a node that is not heard of, and when, by what they say they endure. */
function staysSentence({ staying, never, endsFirst, endsLast }: NodeSeen, now: number): string {
  const going = staying - never;
  const left = (at: string) => Math.max(0, (Date.parse(at) - now) / 1000);
  const forGood =
    never > 0 ? ` ${count(never, 'pod')} ${never === 1 ? 'says it stays' : 'say they stay'} for good.` : '';
  if (going <= 0 || endsFirst === null || endsLast === null) return forGood.trim();
  const when =
    endsFirst === endsLast
      ? `in ${durationText(left(endsLast))}`
      : `in ${durationText(left(endsFirst))} to ${durationText(left(endsLast))}`;
  const soon = left(endsLast) < 1 ? 'at once' : when;
  return `The platform tells ${count(going, 'pod')} there to end ${soon}, when the grace that ${going === 1 ? 'it gives' : 'they give'} it is over; until then nothing is started in ${going === 1 ? 'its' : 'their'} place.${forGood}`;
}
