import type { BucketWait } from '@moorage/contract/buckets';
import type { RunwayEnd } from '@moorage/contract/forecast';
import type { WasteKind } from '@moorage/contract/waste';
import type { DriftRow } from '@moorage/contract/drift';
import type { FindingRow } from '@moorage/contract/findings';
import type { Consequence } from '@moorage/core/findings/finding';
import { waitWords } from '../buckets/words';
import { kindTitles as driftTitles } from '../drift/words';
import { protocolText } from '../backends/readiness-words';
import { dayText, endWords, usedText } from '../forecast/runway-words';
import { kindTitles } from '../waste/words';
import { sizeText } from '@moorage/core/sizes/display';

export const consequenceWords: Record<Consequence, string> = {
  'data-at-risk': 'Data at risk',
  'claims-blocked': 'Claims blocked',
  'one-failure-away': 'One failure away',
  'time-to-limit': 'Time to a limit',
  waste: 'Waste',
};

/** One bucket is opened, many are listed. */
const bucketsPath = (some: readonly string[], count: number): string =>
  count === 1 && some[0] ? `/claims/buckets?bucket=${encodeURIComponent(some[0])}` : '/claims/buckets';

/** One application is opened, many are listed. */
const appsPath = (some: readonly string[], count: number): string =>
  count === 1 && some[0] ? `/apps/${some[0]}` : '/apps?need=points';

export interface FindingWords {
  readonly title: string;
  readonly detail: string;
  /** The next step, and where it is done. */
  readonly remedy: string;
  readonly path: string;
}

const percent = (share: number): string => `${Math.round(share * 100)} %`;
const plural = (n: number, one: string, many: string): string => `${n.toLocaleString('en-GB')} ${n === 1 ? one : many}`;

const claimsPath = (some: readonly string[], claims: number, className: string, state = 'unbound'): string =>
  claims === 1 && some[0] ? `/claims/${some[0]}` : `/claims?state=${state}${className ? `&class=${className}` : ''}`;

/** What a finding says: to what it happened, what follows, and the one step that helps. */
export function findingWords({ kind, subject, facts }: Pick<FindingRow, 'kind' | 'subject' | 'facts'>): FindingWords {
  const number = (name: string): number => Number(facts[name] ?? 0);
  const text = (name: string): string => String(facts[name] ?? '');
  const list = (name: string): readonly string[] => {
    const value = facts[name];
    return Array.isArray(value) ? (value as string[]) : [];
  };
  const some = (name = 'some', of = number('claims')): string => {
    const named = list(name);
    return named.length === 0
      ? ''
      : ` ${named.join(', ')}${of > named.length ? ` and ${of - named.length} more` : ''}.`;
  };
  const claims = plural(number('claims'), 'claim', 'claims');
  const backend = `/backends/${text('backend')}`;
  switch (kind) {
    case 'volumes-lost':
      return {
        title: `${plural(number('claims'), 'claim lost its volume', 'claims lost their volumes')}${subject ? `, of ${subject}` : ''}`,
        detail: `The backend does not list ${number('claims') === 1 ? 'it' : 'them'} any more; ${sizeText(number('bytes'))} asked for.${some()}`,
        remedy: number('claims') === 1 ? 'See the claim' : 'See the claims',
        path: claimsPath(list('some'), number('claims'), subject),
      };
    case 'volumes-unreachable':
      return {
        title: `${plural(number('claims'), 'claim has', 'claims have')} no copy that answers${subject ? `, of ${subject}` : ''}`,
        detail: `The data is not lost while its disks can come back; nothing can be read meanwhile.${some()}`,
        remedy: number('claims') === 1 ? 'See where its copies are' : 'See the claims',
        path: claimsPath(list('some'), number('claims'), subject),
      };
    case 'pool-gone':
      return {
        title: `${subject} vanished from ${text('backend')}`,
        detail: `The backend no longer lists the pool. ${claims} keep data on it.${some()}`,
        remedy: 'See the backend',
        path: backend,
      };
    case 'copies-missing':
      return {
        title: `${plural(number('volumes'), 'volume misses', 'volumes miss')} copies in ${subject}`,
        detail: `${number('syncing') === number('volumes') ? 'All of them are' : number('syncing') > 0 ? `${number('syncing')} are` : 'None is'} being made whole; ${sizeText(number('bytes'))} to copy.${some('some', number('volumes'))}`,
        remedy: 'Follow it',
        path: `${backend}?see=volumes`,
      };
    case 'disk-failed':
      return {
        title: `A disk of ${text('pool')} failed in ${text('node')}`,
        detail: `${subject} does not work. ${number('copies') === 0 ? 'Nothing is on it any more.' : `${plural(number('copies'), 'copy was', 'copies were')} on it.`}`,
        remedy: 'Replace it',
        path: `${backend}?disk=${encodeURIComponent(subject)}`,
      };
    case 'disk-failing':
      return {
        title: `A disk of ${text('pool')} expects to fail, in ${text('node')}`,
        detail: `${subject} says so of itself. ${plural(number('copies'), 'copy is', 'copies are')} on it.`,
        remedy: 'Take it out in time',
        path: `${backend}?disk=${encodeURIComponent(subject)}`,
      };
    case 'disk-worn':
      return {
        title: `A disk of ${text('pool')} is nearly worn out, in ${text('node')}`,
        detail: `${subject} has ${number('lifeLeft')} % of its life left.`,
        remedy: 'Take it out in time',
        path: `${backend}?disk=${encodeURIComponent(subject)}`,
      };
    case 'node-lost':
      return {
        title: `${subject} of ${text('backend')} does not answer`,
        detail: `${plural(number('disks'), 'disk', 'disks')} of it cannot be reached. ${number('volumes') === 0 ? 'No volume misses a copy for it.' : `${plural(number('volumes'), 'volume misses', 'volumes miss')} the copy there.${some('some', number('volumes'))}`}`,
        remedy: 'See what is on it',
        path: `${backend}?node=${subject}`,
      };
    case 'pool-shrunk':
      return {
        title: `${subject} keeps less than it did`,
        detail: `${sizeText(number('now'))} of ${sizeText(number('before'))}. ${claims} are on it.${some()}`,
        remedy: 'See the pool',
        path: `/backends?pool=${subject}`,
      };
    case 'backend-unreachable':
      return {
        title: `${subject} cannot be reached`,
        detail: `${text('detail')}. ${claims} keep data on it; none can be made or grown.`,
        remedy: text('code') === 'unauthorised' ? 'Change its credentials' : 'See the backend',
        path: `/backends/${subject}${text('code') === 'unauthorised' ? '?see=settings' : ''}`,
      };
    case 'backend-nonsense':
      return {
        title: `${subject} answers nonsense`,
        detail: `${text('detail')}. Nothing it says is believed until it answers as the standard has it.`,
        remedy: 'See the backend',
        path: `/backends/${subject}`,
      };
    case 'pool-read-only':
      return {
        title: `${subject} was set to read only`,
        detail: `${text('backend')} refuses new volumes and writes. ${claims} are on it.${some()}`,
        remedy: 'See the backend',
        path: backend,
      };
    case 'pool-full':
    case 'pool-filling': {
      const mark = kind === 'pool-full' ? number('hard') : number('soft');
      return {
        title: `${subject} is ${percent(number('fill'))} full`,
        detail: `${sizeText(number('consumed'))} of ${sizeText(number('usable'))} is written; the ${kind === 'pool-full' ? 'hard' : 'soft'} mark is ${percent(mark)}.${kind === 'pool-full' ? ' Nothing new is placed here.' : ' It is used last.'}`,
        remedy: 'See the pool',
        path: `/backends?pool=${subject}`,
      };
    }
    case 'claims-stuck': {
      const state = text('state');
      const why =
        state === 'no-class'
          ? 'have no class'
          : state === 'held-back'
            ? 'wait for a volume or for data that they name'
            : state === 'retrying'
              ? 'keep failing'
              : state === 'stopped'
                ? 'have stopped'
                : state === 'cannot-grow'
                  ? 'cannot grow'
                  : 'fit nowhere';
      const reckoned = state === 'nothing-fits';
      return {
        title: `${plural(number('claims'), 'claim', 'claims')}${subject ? ` of ${subject}` : ''} ${number('claims') === 1 ? why.replace('have', 'has').replace('keep', 'keeps').replace('fit', 'fits').replace('ask', 'asks') : why}`,
        detail: `${sizeText(number('bytes'))} ${state === 'cannot-grow' ? 'more ' : ''}asked for.${some()}`,
        remedy: reckoned
          ? `See what would bind ${number('claims') === 1 ? 'it' : 'them'}`
          : `See ${number('claims') === 1 ? 'why it waits' : 'why they wait'}`,
        // those that cannot grow have a volume: the list of claims without one does not hold them
        path: claimsPath(list('some'), number('claims'), subject, state === 'cannot-grow' ? 'bound' : 'unbound'),
      };
    }
    case 'export-misses-node':
      return {
        title: `An export of ${subject} misses ${list('nodes').join(', ')}`,
        detail: `${list('addresses').join(', ')} lies in none of the ranges that may mount; pods there cannot use its volumes.`,
        remedy: 'See the readiness',
        path: `/backends/readiness?at=${list('nodes')[0] ?? ''}/${subject}`,
      };
    case 'node-unready':
      return {
        title: `${plural(list('nodes').length, 'node cannot', 'nodes cannot')} use ${subject}`,
        detail: `${list('nodes').join(', ')}: ${text('check')}${text('of') ? `, ${protocolText(text('of'))}` : ''}.`,
        remedy: 'See the readiness',
        path: `/backends/readiness?at=${list('nodes')[0] ?? ''}/${subject}`,
      };
    case 'paths-missing': {
      const of = protocolText(text('of'));
      const what =
        text('check') === 'attach'
          ? 'few attachments are left'
          : text('check') === 'initiator'
            ? `no initiator for ${of}`
            : `a path by ${of} is down`;
      return {
        title: `${list('nodes').join(', ')}: ${what}, to ${subject}`,
        detail: 'Its other ways serve; with one fewer, pods there lose their volumes.',
        remedy: 'See the readiness',
        path: `/backends/readiness?at=${list('nodes')[0] ?? ''}/${subject}`,
      };
    }
    case 'platform-lost':
      return {
        title: `The platform is not followed: ${subject}`,
        detail: `${text('detail')}. What is shown of it may be old; it is tried again.`,
        remedy: 'See the claims',
        path: '/claims',
      };
    case 'change-stalled':
      return {
        title: `A change of ${subject} does not get on`,
        detail: text('detail'),
        remedy: 'See the change',
        path: `${backend}?see=changes`,
      };
    case 'no-default-class':
      return {
        title: 'No class is the default',
        detail: 'Claims that name no class stay where they are.',
        remedy: 'Choose one',
        path: '/classes',
      };
    case 'two-default-classes':
      return {
        title: 'More than one class is the default',
        detail: `Claims that name no class go to the newest of${some('some', 0)}`,
        remedy: 'Choose one',
        path: '/classes',
      };
    case 'cap-near':
      return {
        title: `The cap over ${subject} is nearly used`,
        detail: `${sizeText(number('taken'))} of ${sizeText(number('cap'))} is taken.`,
        remedy: 'See the backend',
        path: `/backends/${subject}?see=settings`,
      };
    case 'limit-near':
    case 'runway-short': {
      const end = text('against') as RunwayEnd;
      const what = `${subject}${text('className') ? ` in ${text('className')}` : ''}`;
      const meets = typeof facts.meets === 'number' ? facts.meets : null;
      const over = number('used') >= number('end');
      return {
        title: over
          ? `${what} has reached ${endWords[end]}`
          : meets === null
            ? `${what} is near ${endWords[end]}`
            : `${what} reaches ${endWords[end]} about ${dayText(meets)}`,
        detail: `${usedText(end, number('used'))} of ${usedText(end, number('end'))} are used.`,
        remedy: 'See how it goes on',
        path: `/namespaces/runway?kind=${text('of')}&of=${encodeURIComponent([text('of'), subject, text('className'), end].join('/'))}`,
      };
    }
    case 'samples-stopped':
      return {
        title: 'History has stopped: the disk of the database is nearly full',
        detail: `${number('free') > 0 ? `${sizeText(number('free'))} were free` : 'Nothing was free'}; the last ${sizeText(number('reserve'))} are kept for binding. Give it room: what backends kept of the time is read then.`,
        remedy: 'See the history',
        path: '/namespaces',
      };
    case 'growth-sudden':
    case 'drop-sudden':
      return {
        title: kind === 'growth-sudden' ? `${subject} grew suddenly` : `${subject} holds suddenly less`,
        detail: `${number('change') < 0 ? '−' : ''}${sizeText(Math.abs(number('change')))} in a day; ${number('usual') < 0 ? '−' : ''}${sizeText(Math.abs(number('usual')))} is usual.`,
        remedy: 'See its history',
        path: `/namespaces?namespace=${encodeURIComponent(subject)}&range=1m`,
      };
    case 'price-risen':
      return {
        title: `${subject} costs more than a month ago`,
        detail: `${Math.round(number('change')).toLocaleString('en-GB')} a month now, ${Math.round(number('usual')).toLocaleString('en-GB')} then, at the prices of each time.`,
        remedy: 'See the statement',
        path: '/namespaces/statement',
      };
    case 'waste-found': {
      const of = kindTitles[subject as WasteKind] ?? subject;
      const isClass = subject === 'class-unused';
      return {
        title: isClass
          ? plural(number('count'), 'class is used by nobody', 'classes are used by nobody')
          : `${plural(number('count'), 'claim is', 'claims are')} ${of}`,
        detail: `${number('bytes') > 0 ? `${sizeText(number('bytes'))} of raw space would be free.` : 'Nothing is kept for it.'}${some('some', number('count'))}`,
        remedy: 'See what helps',
        path: `/namespaces/waste?kind=${encodeURIComponent(subject)}`,
      };
    }
    case 'limits-asked':
      return {
        title: `${subject} asks for ${number('requests') === 1 ? 'a higher limit' : `${number('requests')} higher limits`}`,
        detail: `${list('some').join(', ')} ${list('some').length === 1 ? 'waits' : 'wait'} for an answer.`,
        remedy: 'Answer it',
        path: `/namespaces?namespace=${subject}`,
      };
    case 'capacity-stranded':
      return {
        title: `${sizeText(number('stranded'))} of ${subject} can never be used`,
        detail: `${list('domains').join(', ')} ${list('domains').length === 1 ? 'holds' : 'hold'} more than the others can match; of ${sizeText(number('raw'))} raw.`,
        remedy: 'See what would free it',
        path: `/backends?pool=${subject}`,
      };
    case 'replicas-together':
      return {
        title: `${plural(number('applications'), 'application has', 'applications have')} replicas that stop with one ${subject}`,
        detail: `${list('some').join(', ')}${number('applications') > list('some').length ? ' and others' : ''}. When that ${subject} fails, several of their replicas stop in one go.`,
        remedy: 'See what would spread them',
        path: appsPath(list('some'), number('applications')),
      };
    case 'copies-together':
      return {
        title:
          text('of') === 'witness'
            ? `${plural(number('applications'), 'application keeps', 'applications keep')} a witness in the ${subject} of the copy that it should outvote`
            : `${plural(number('applications'), 'application keeps', 'applications keep')} all copies of a volume in one ${subject}`,
        detail: `${list('some').join(', ')}${number('applications') > list('some').length ? ' and others' : ''}. That ${subject} is a common point of failure of the copies.`,
        remedy: 'See what would spread them',
        path: appsPath(list('some'), number('applications')),
      };
    case 'instances-empty':
      return {
        title: `${sizeText(number('bytes'))} of ${subject} are paid for and hold nothing`,
        detail: `${plural(number('instances'), 'instance was', 'instances were')} bought for shares that are gone. New shares are carved out of ${number('instances') === 1 ? 'it' : 'them'} first.`,
        remedy: number('instances') === 1 ? 'Give it back' : 'Give them back',
        path: `${backend}?see=instances`,
      };
    case 'buckets-waiting':
      return {
        title: `${plural(number('buckets'), 'bucket claim waits', 'bucket claims wait')}: ${waitWords[subject as BucketWait] ?? 'for what it names'}`,
        detail: `${list('some').join(', ')}${number('buckets') > list('some').length ? ' and others' : ''}.`,
        remedy: 'See what would help',
        path: bucketsPath(list('some'), number('buckets')),
      };
    case 'buckets-lost':
      return {
        title: `${plural(number('buckets'), 'bucket is', 'buckets are')} not on the backend any more`,
        detail: `${list('some').join(', ')}${number('buckets') > list('some').length ? ' and others' : ''}. Somebody removed ${number('buckets') === 1 ? 'it' : 'them'} there; nothing empty is made in ${number('buckets') === 1 ? 'its' : 'their'} place.`,
        remedy: 'See what was in it',
        path: bucketsPath(list('some'), number('buckets')),
      };
    case 'buckets-full':
      return {
        title: `${plural(number('buckets'), 'bucket is', 'buckets are')} full: nothing can be written`,
        detail: `${list('some').join(', ')}${number('buckets') > list('some').length ? ' and others' : ''}. Until there is less in ${number('buckets') === 1 ? 'it' : 'them'}, or more may be.`,
        remedy: number('buckets') === 1 ? 'Let it hold more' : 'Let them hold more',
        path: bucketsPath(list('some'), number('buckets')),
      };
    case 'volumes-endangered':
    case 'volumes-drifted':
      return {
        title: `${plural(number('volumes'), 'volume is', 'volumes are')} not as declared: ${driftTitles[subject as DriftRow['kind']] ?? subject}`,
        detail: `${list('some').join(', ')}${number('volumes') > list('some').length ? ' and others' : ''}.`,
        remedy: 'See what differs',
        path: `/claims/drift?kind=${subject}`,
      };
    case 'volumes-adrift':
      return {
        title: `${plural(number('volumes'), 'volume is', 'volumes are')} adrift on ${subject}`,
        detail: `No claim holds ${number('volumes') === 1 ? 'it' : 'them'}; ${sizeText(number('consumed'))} written, ${sizeText(number('bytes'))} promised.`,
        remedy: 'Give them back',
        path: '/claims/salvage',
      };
  }
}
