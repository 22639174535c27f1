import type { History } from '@moorage/contract/history';
import { eventSentence, isFailure } from './words';

const GiB = 2 ** 30;
type Event = History['events'][number];
const event = (part: Partial<Event> & Pick<Event, 'kind'>): Event => ({
  ...{ at: 1_000_000, subject: 'level-log', namespace: '', from: null, to: null, fromPool: null, toPool: null },
  ...{ backend: null, until: null, changes: [], ...part },
});

test.each<[Partial<Event> & Pick<Event, 'kind'>, string]>([
  [{ kind: 'made', to: GiB }, 'level-log was asked for, 1 GiB'],
  [{ kind: 'moved', fromPool: 'a', toPool: 'b' }, 'level-log moved from a to b'],
  [{ kind: 'limit', subject: '', to: GiB }, 'limit set to 1 GiB'],
  [{ kind: 'silent', subject: 'basalt-swift' }, 'backend basalt-swift is silent since then'],
  [
    { kind: 'silent', subject: 'basalt-swift', until: 1_000_000 + 720_000 },
    'backend basalt-swift was silent for 12 min',
  ],
  [{ kind: 'ill', subject: 'kelp' }, 'backend kelp reports that it is not well since then'],
  [{ kind: 'node', subject: 'kelp-2', backend: 'kelp' }, 'node kelp-2 of kelp is down since then'],
  [{ kind: 'disk', subject: 'd7', backend: 'kelp', until: 1_030_000 }, 'disk d7 of kelp did not work for 30 s'],
  [
    { kind: 'class', subject: 'general', changes: [{ name: 'reclaimPolicy', from: 'Delete', to: 'Retain' }] },
    'class general was changed: reclaimPolicy from Delete to Retain',
  ],
  [{ kind: 'mooring', subject: 'general', toPool: 'kelp-nvme' }, 'general was moored to kelp-nvme'],
  [{ kind: 'mooring', subject: 'general', fromPool: 'kelp-nvme' }, 'general was moored to kelp-nvme no longer'],
  [
    {
      ...{ kind: 'mooring', subject: 'general', fromPool: 'kelp-nvme', toPool: 'kelp-nvme' },
      changes: [{ name: 'order', from: '1', to: '2' }],
    },
    'mooring of general to kelp-nvme was changed: order from 1 to 2',
  ],
])('%j is told as it is', (part, sentence) => expect(eventSentence(event(part))).toBe(sentence));

test('only what fails lasts', () => {
  expect(['silent', 'ill', 'node', 'disk'].every((kind) => isFailure(kind as Event['kind']))).toBe(true);
  expect(['made', 'class', 'mooring', 'limit'].some((kind) => isFailure(kind as Event['kind']))).toBe(false);
});
