import { execFile } from 'node:child_process';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { backendSeeds } from '../backend-seeds';
import { platformSeed } from '../seeds';
import { startBackend, startPlatform } from '../start';

const run = promisify(execFile);

interface Outcome {
  readonly name: string;
  readonly ok: boolean;
  readonly detail?: string;
}

/** Runs a list of checks written for a client library that nobody here wrote. */
async function outcomesOf(program: string, ...args: string[]): Promise<Outcome[]> {
  const { stdout } = await run('/usr/bin/python3', [join(__dirname, program), ...args], { maxBuffer: 1e7 });
  return JSON.parse(stdout) as Outcome[];
}
const failed = (outcomes: readonly Outcome[]) => outcomes.filter((o) => !o.ok).map((o) => `${o.name}: ${o.detail}`);

let checks = 0;

test('the platform, by its ordinary client library', async () => {
  const platform = await startPlatform(platformSeed);
  const outcomes = await outcomesOf('platform_checks.py', platform.url, platform.controlUrl);
  await platform.stop();
  expect(failed(outcomes)).toEqual([]);
  checks += outcomes.length;
});

test('a cluster and an array, by a client library of the storage standard', async () => {
  for (const name of ['kelp', 'basalt'] as const) {
    const seed = backendSeeds[name]();
    const box = await startBackend({ ...seed, createMs: 5 });
    const outcomes = await outcomesOf('storage_checks.py', box.url, seed.user, seed.password, name);
    await box.stop();
    expect(failed(outcomes)).toEqual([]);
    checks += outcomes.length;
  }
});

test('objects of a cluster, by an ordinary client library of the protocol', async () => {
  const seed = backendSeeds.kelp();
  const box = await startBackend({ ...seed, createMs: 5 });
  const account = { UserName: 'gauge-keys', Password: 'low-water', RoleId: 'NoAccess' };
  const basic = `Basic ${Buffer.from(`${seed.user}:${seed.password}`).toString('base64')}`;
  await fetch(`${box.url}/redfish/v1/AccountService/Accounts`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json', Authorization: basic },
    body: JSON.stringify(account),
  });
  const keys = [seed.user, seed.password, account.UserName, account.Password];
  const outcomes = await outcomesOf('object_checks.py', box.url, ...keys);
  await box.stop();
  expect(failed(outcomes)).toEqual([]);
  checks += outcomes.length;
});

test('they are at least 120 checks', () => expect(checks).toBeGreaterThanOrEqual(120));
