import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import pg from 'pg';
import pino from 'pino';
import type { Config } from './config';
import { Database } from './database/database';
import { Engine } from './engine';
import { makeApp } from './http/app';
import { sessionMs } from './http/sessions';
import { LiveStream } from './live/stream';
import { Metrics } from './metrics/metrics';
import type { Work } from './operations/kind';
import type { Operation } from './operations/operation';
import { KubernetesConnector } from './platform/kubernetes';

export interface RunningServer {
  readonly url: string;
  /** Settled once PostgreSQL was there and everything is prepared. */
  readonly ready: Promise<void>;
  stop(): Promise<void>;
}

export interface Watching {
  /** Told after each step of an operation. */
  onStep?(operation: Operation): void;
  /** Kinds of operations beside those of the rooms. */
  readonly works?: (database: Database) => readonly Work[];
  /** Takes the log, line by line, in the place of standard output. */
  onLog?(line: string): void;
}

/** Starts a server. It answers at once; without PostgreSQL it says so, waits, and goes on when it is there. */
export async function startServer(config: Config, watching: Watching = {}): Promise<RunningServer> {
  const { onLog } = watching;
  const settings = { level: config.logLevel, base: undefined };
  const log = onLog ? pino(settings, { write: (line) => onLog(line) }) : pino(settings);
  const metrics = new Metrics();
  const database = new Database(config.databaseUrl);
  const sessions = new pg.Pool({ connectionString: config.databaseUrl, max: 4 });
  sessions.on('error', (error) => log.warn({ err: error }, 'a connection of the session store was lost'));
  const { platform } = config.estate;
  const engine = new Engine(
    config,
    database,
    new KubernetesConnector(platform.server, platform.token, metrics),
    metrics,
    log,
    (operation) => watching.onStep?.(operation),
    watching.works?.(database),
  );
  const stream = new LiveStream(engine.anchor, sessionMs);
  const server = createServer(makeApp(config, database, sessions, engine, stream, metrics, log));
  // longer than what stands before it keeps one open: whoever ends an idle connection first ends a call that is just beginning on it
  server.keepAliveTimeout = 75_000;
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(config.port, '127.0.0.1', resolve);
  });
  const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  log.info({ url }, 'listening');
  const ready = engine.start();
  return {
    url,
    ready,
    stop: async () => {
      stream.closeAll();
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
      await engine.stop();
      await sessions.end();
      await database.close();
    },
  };
}
