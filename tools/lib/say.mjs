const began = Date.now();
const seconds = () => `${((Date.now() - began) / 1000).toFixed(1).padStart(5)} s`;

/** Says what is being done, with the time since the command began. */
export const say = (text) => console.log(`${seconds()}  ${text}`);

/** Ends the command with a sentence that says what to do. */
export class Stop extends Error {}
