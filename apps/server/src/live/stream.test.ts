import { EventEmitter } from 'node:events';
import type { LiveEvent } from '@moorage/contract/live';
import type { Request, Response } from 'express';
import { Sight } from '../people/sight';
import type { Anchor } from './anchor';
import { endedChannel, liveChannel } from './announce';
import { LiveStream, streamKey } from './stream';

const sessionMs = 60_000;
let anchor: EventEmitter;
let stream: LiveStream;
beforeEach(() => {
  jest.useFakeTimers();
  anchor = new EventEmitter();
  stream = new LiveStream(anchor as Anchor, sessionMs);
});
afterEach(() => {
  stream.closeAll();
  jest.useRealTimers();
});

/** Somebody who reads, or does not. */
class Reader {
  text = '';
  ended = false;
  waiting = 0;
  private readonly request = new EventEmitter();

  constructor(person = 'maren', { sight = Sight.everything, session = 'of-maren' } = {}) {
    Object.assign(this.request, { sessionID: session });
    const response = {
      writeHead: () => response,
      write: (text: string) => (this.text += text),
      end: () => {
        this.ended = true;
        this.request.emit('close');
      },
    };
    Object.defineProperty(response, 'writableLength', { get: () => this.waiting });
    stream.handle(this.request as unknown as Request, response as unknown as Response, person, sight);
  }

  leave = () => this.request.emit('close');
  /** What it was told, without what keeps the connection. */
  get told(): LiveEvent[] {
    return [...this.text.matchAll(/^data: (\{"topic.*)$/gm)].map((m) => JSON.parse(m[1]!) as LiveEvent);
  }
}

const tell = (event: object) => anchor.emit('notify', liveChannel, JSON.stringify(event));
const ivo = Sight.of({ name: 'ivo', title: 'Ivo', role: 'namespace-owner', namespaces: ['ferry-desk'] });

test('a change is told to everyone who listens, as it was announced', () => {
  const readers = [new Reader(), new Reader('tom', { session: 'of-tom' })];
  tell({ topic: 'moorings', subject: 'ledger/basalt-swift' });
  for (const reader of readers) expect(reader.told).toEqual([{ topic: 'moorings', subject: 'ledger/basalt-swift' }]);
});

test('what is no change that is known of is told to nobody', () => {
  const reader = new Reader();
  tell({ topic: 'weather' });
  anchor.emit('notify', 'elsewhere', '{"topic":"claims"}');
  expect(reader.told).toEqual([]);
});

test.each<[LiveEvent, LiveEvent[]]>([
  [{ topic: 'claims', subject: 'ferry-desk/log' }, [{ topic: 'claims', subject: 'ferry-desk/log' }]],
  [{ topic: 'claims', subject: 'tide-gauges/log' }, []],
  [{ topic: 'namespaces', subject: 'wave-model' }, []],
  [{ topic: 'claims' }, [{ topic: 'claims' }]],
  // that something was written is told, not of what
  [{ topic: 'logbook', subject: 'tide-gauges/log' }, [{ topic: 'logbook' }]],
  [{ topic: 'operations' }, [{ topic: 'operations' }]],
])('of %j a namespace owner is told %j', (event, expected) => {
  const reader = new Reader('ivo', { sight: ivo });
  tell(event);
  expect(reader.told).toEqual(expected);
});

test('a server that lost the database says that what is shown may be old, and after it that something may be missed', () => {
  const reader = new Reader();
  anchor.emit('lost');
  expect(reader.text).toContain('event: stale');
  expect(reader.text).not.toContain('event: gap');
  anchor.emit('connected');
  expect(reader.text).toContain('event: gap');
});

test('a stream shows now and then that it lives', () => {
  const reader = new Reader();
  jest.advanceTimersByTime(20_000);
  jest.advanceTimersByTime(20_000);
  expect(reader.text.match(/: here/g)).toHaveLength(2);
  reader.leave();
  jest.advanceTimersByTime(20_000);
  expect(reader.text.match(/: here/g)).toHaveLength(2);
});

test('it ends with its session: signed out, or run out', () => {
  const [out, over] = [new Reader('maren', { session: 'a' }), new Reader('maren', { session: 'b' })];
  anchor.emit('notify', endedChannel, streamKey('a'));
  expect([out.ended, over.ended]).toEqual([true, false]);
  jest.advanceTimersByTime(sessionMs);
  expect(over.ended).toBe(true);
});

test('the streams of one person are bounded: the oldest makes way, those of others stay', () => {
  const other = new Reader('tom', { session: 'of-tom' });
  const own = Array.from({ length: 10 }, () => new Reader());
  expect(own.map((r) => r.ended)).toEqual([true, true, ...Array.from({ length: 8 }, () => false)]);
  expect(other.ended).toBe(false);
});

test('who does not read is let go, and gets everything anew when they come back', () => {
  const [slow, quick] = [new Reader(), new Reader()];
  slow.waiting = 2 * 1024 * 1024;
  tell({ topic: 'claims' });
  expect([slow.ended, slow.told]).toEqual([true, []]);
  expect(quick.told).toHaveLength(1);
});

test('who has left is told nothing more', () => {
  const reader = new Reader();
  reader.leave();
  tell({ topic: 'claims' });
  expect(reader.told).toEqual([]);
});
