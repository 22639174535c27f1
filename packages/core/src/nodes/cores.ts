/** Processor cores out of the platform's notation: "500m" is half a core, "2" two. 0 for what is not a number. */
export function parseCores(text: string): number {
  const match = /^(\d+(?:\.\d+)?)(m?)$/.exec(text.trim());
  if (!match) return 0;
  return match[2] === 'm' ? Number(match[1]) / 1000 : Number(match[1]);
}
