/** Fills an empty database with a made-up site: `node fill-harness.mjs URL CLAIMS NAMESPACES CLASSES POOLS SEED`. Tells its steps. */
import pg from 'pg';
import { reckonApplications } from '../applications/reckon';
import { Database } from '../database/database';
import { migrate } from '../database/migrations';
import { keepDays } from '../usage/use';
import { fillSite } from './filling';

const [url = '', ...sizes] = process.argv.slice(2);
const [claims = 10_000, namespaces = 500, classes = 60, pools = 200, seed = 1] = sizes.map(Number);
const began = performance.now();
const tell = (what: string) => console.log(`${((performance.now() - began) / 1000).toFixed(1).padStart(7)} s  ${what}`);
const database = new Database(url);
const client = new pg.Client({ connectionString: url });
await migrate(database, Buffer.alloc(32));
await client.connect();
await fillSite(client, { claims, namespaces, classes, pools, seed }, tell);
tell('days of use');
await keepDays(database);
tell('applications');
await reckonApplications(database);
await client.query('VACUUM ANALYZE');
tell('filled');
await client.end();
await database.close();
process.exit(0);
