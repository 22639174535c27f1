import { sizeText } from '@moorage/core/sizes/display';
import type { BatchAnswer } from './batch';

const claimsText = (n: number): string => `${n.toLocaleString('en-GB')} ${n === 1 ? 'claim' : 'claims'}`;

/** What the plan gives over claims that come one by one, and who stays without a place. */
export function batchSentence({ alone, planned, refused }: BatchAnswer): string {
  const [claims, bytes] = [planned.claims - alone.claims, planned.bytes - alone.bytes];
  if (planned.claims === planned.of)
    return claims > 0
      ? `The plan fits ${claimsText(claims)} more, and so all of them, by leaving room for those that have fewer pools to go to.`
      : 'All of them fit either way. A kept plan still holds their places against each other.';
  const first = refused.length > 1 ? `, the first of them ${refused[0]}` : `: ${refused[0]}`;
  const stay = `${claimsText(refused.length)} ${refused.length === 1 ? 'stays' : 'stay'} without a pool${first}.`;
  if (claims <= 0 && bytes <= 0) return `No plan was found that fits more. ${stay}`;
  if (claims < 0)
    return `The plan places ${sizeText(bytes)} more in ${claimsText(-claims)} fewer, those that cost least of what is scarce. ${stay}`;
  const more = claims > 0 ? claimsText(claims) : sizeText(bytes);
  return `The plan fits ${more} more${claims > 0 && bytes > 0 ? `, ${sizeText(bytes)}` : ''}. ${stay}`;
}
