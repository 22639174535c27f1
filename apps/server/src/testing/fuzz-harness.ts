/** Sends many hostile requests to a server that runs already: `node fuzz-harness.mjs URL SEED COUNT COOKIE…`. */
import { hostileRequests, sendHostile } from './hostile';

const [url = '', seed = '1', count = '1000', ...cookies] = process.argv.slice(2);
const total = { statuses: {} as Record<string, number>, wrong: [] as string[] };
const step = 5000;
for (let done = 0; done < Number(count); done += step) {
  const requests = hostileRequests(Number(seed) + done, Math.min(step, Number(count) - done));
  const { statuses, wrong } = await sendHostile(url, cookies, requests);
  for (const [status, n] of Object.entries(statuses)) total.statuses[status] = (total.statuses[status] ?? 0) + n;
  total.wrong.push(...wrong);
  process.stderr.write(`${Math.min(done + step, Number(count))} sent, ${total.wrong.length} wrong\n`);
}
console.log(JSON.stringify(total));
