import { randomInt } from 'node:crypto';
import { EventEmitter } from 'node:events';
import pg from 'pg';
import type { Logger } from 'pino';
import { endedChannel, liveChannel, workChannel } from './announce';
import { livingServers } from './living.sql';

/** Class id of the advisory lock of the server that watches the outside. */
const watchers = 4412;

const pauseMs = 1000;

/**
 * One connection that a server holds for as long as it lives. It listens for notifications, and its advisory locks tell
 * the other servers that this one lives, and which one watches the platform and the backends. Each connection is a lease of its
 * own: what was begun under one that was lost belongs to nobody, this server included.
 * Emits `notify(channel, payload)`, `leads`, `follows`, `connected` and `lost`.
 */
export class Anchor extends EventEmitter {
  private client?: pg.Client;
  private key?: number;
  private leading = false;
  private stopped = false;
  private timer?: NodeJS.Timeout;

  constructor(
    private readonly url: string,
    private readonly log: Logger,
  ) {
    super();
  }

  get isConnected(): boolean {
    return this.client !== undefined;
  }

  /** The key under which this server lives now; undefined while it has no connection. */
  get lease(): number | undefined {
    return this.client && this.key;
  }

  get leads(): boolean {
    return this.leading;
  }

  async start(): Promise<void> {
    await this.connect();
  }

  private again(): void {
    if (!this.stopped) this.timer = setTimeout(() => void this.connect(), pauseMs);
  }

  private async connect(): Promise<void> {
    if (this.stopped) return;
    const client = new pg.Client({ connectionString: this.url, keepAlive: true });
    const lost = (error?: Error) => {
      if (this.client !== client) return;
      this.client = undefined;
      this.emit('lost');
      if (error) this.log.warn({ err: error }, 'the connection that listens was lost');
      if (this.leading) {
        this.leading = false;
        this.emit('follows');
      }
      this.again();
    };
    client.on('error', lost);
    client.on('end', () => lost());
    client.on('notification', ({ channel, payload }) => this.emit('notify', channel, payload ?? ''));
    try {
      await client.connect();
      const key = randomInt(1, 2 ** 31 - 1);
      await client.query('SELECT pg_advisory_lock($1, $2)', [livingServers, key]);
      await client.query(`LISTEN ${liveChannel}; LISTEN ${workChannel}; LISTEN ${endedChannel}`);
      this.key = key;
      this.client = client;
      this.emit('connected');
      void this.campaign(client);
    } catch (error) {
      this.log.warn({ err: error }, 'PostgreSQL does not answer; trying again');
      client.end().catch(() => undefined);
      this.again();
    }
  }

  /** Tries to become the server that watches, again and again, until this connection is lost. */
  private async campaign(client: pg.Client): Promise<void> {
    if (this.stopped || this.client !== client) return;
    try {
      const { rows } = await client.query<{ won: boolean }>('SELECT pg_try_advisory_lock($1, 1) AS won', [watchers]);
      if (rows[0]?.won) {
        this.leading = true;
        this.emit('leads');
        return;
      }
    } catch {
      return; // the connection's own error handler connects again
    }
    setTimeout(() => void this.campaign(client), pauseMs).unref();
  }

  async stop(): Promise<void> {
    this.stopped = true;
    clearTimeout(this.timer);
    if (this.leading) this.emit('follows');
    const client = this.client;
    this.client = undefined;
    await client?.end().catch(() => undefined);
  }
}
