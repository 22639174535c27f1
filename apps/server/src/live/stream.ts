import { createHash } from 'node:crypto';
import { liveEventSchema, type LiveEvent } from '@moorage/contract/live';
import type { Request, Response } from 'express';
import type { Sight } from '../people/sight';
import type { Anchor } from './anchor';
import { endedChannel, liveChannel } from './announce';

/** Streams of one person on one server; the one opened first makes way for one more. */
const mostEach = 8;
const beatMs = 20_000;
/** Bytes that may wait for a reader who does not read. */
const mostWaiting = 1024 * 1024;

/** What the streams of a session are known by, without the session's own secret. */
export const streamKey = (session: string): string => createHash('sha256').update(session).digest('base64url');

interface Open {
  readonly response: Response;
  readonly person: string;
  readonly key: string;
  readonly sight: Sight;
}

/** Server-sent events: every live change that the person may see, and a comment now and then so that a dead connection is noticed. */
export class LiveStream {
  private readonly open = new Set<Open>();

  constructor(
    anchor: Anchor,
    /** Milliseconds after which a session has ended by itself, and its streams with it. */
    private readonly sessionMs: number,
  ) {
    anchor.on('notify', (channel: string, payload: string) => {
      if (channel === endedChannel) this.end(payload);
      if (channel !== liveChannel) return;
      const event = liveEventSchema.safeParse(JSON.parse(payload));
      if (event.success) this.tell(event.data);
    });
    // without PostgreSQL no change is heard of: what pages show may be old from now on
    anchor.on('lost', () => {
      for (const at of this.open) this.write(at, 'event: stale\ndata: {}\n\n');
    });
    // after a gap nobody knows what was missed: pages fetch everything again
    anchor.on('connected', () => {
      for (const at of this.open) this.write(at, 'event: gap\ndata: {}\n\n');
    });
  }

  private tell(event: LiveEvent): void {
    for (const at of this.open) {
      const seen = at.sight.event(event);
      if (seen) this.write(at, `data: ${JSON.stringify(seen)}\n\n`);
    }
  }

  private write(at: Open, text: string): void {
    // a page that does not read gets everything anew when it comes back
    if (at.response.writableLength > mostWaiting) this.close(at);
    else at.response.write(text);
  }

  handle(request: Request, response: Response, person: string, sight: Sight): void {
    const own = [...this.open].filter((o) => o.person === person);
    for (const old of own.slice(0, Math.max(0, own.length - mostEach + 1))) this.close(old);
    response.writeHead(200, {
      'Content-Type': 'text/event-stream',
      'Cache-Control': 'no-store',
      'X-Accel-Buffering': 'no',
    });
    response.write('retry: 1000\n\n');
    const at: Open = { response, person, key: streamKey(request.sessionID), sight };
    this.open.add(at);
    const beat = setInterval(() => this.write(at, ': here\n\n'), beatMs);
    const over = setTimeout(() => this.close(at), this.sessionMs);
    request.on('close', () => {
      clearInterval(beat);
      clearTimeout(over);
      this.open.delete(at);
    });
  }

  /** Closes the streams of a session that was ended. */
  private end(key: string): void {
    for (const at of this.open) if (at.key === key) this.close(at);
  }

  private close(at: Open): void {
    this.open.delete(at);
    at.response.end();
  }

  closeAll(): void {
    for (const at of this.open) this.close(at);
  }
}
