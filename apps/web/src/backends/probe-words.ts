import type { ProbeOutcome } from '@moorage/contract/registration';

/** What a look at an address means, and what to do about it. */
export const probeWords: Record<ProbeOutcome, { readonly what: string; readonly help: string }> = {
  ready: { what: 'It can be used', help: 'Give it a name and register it.' },
  'name-not-found': {
    what: 'Nobody has this name',
    help: 'Check its spelling, or the name service that the server asks.',
  },
  refused: {
    what: 'Nothing listens there',
    help: 'Check the port, whether the service runs, and whether a firewall refuses the call.',
  },
  'timed-out': {
    what: 'No answer came in time',
    help: 'Check the address; a firewall that drops calls looks like this too.',
  },
  'not-trusted': {
    what: 'Its certificate is not trusted',
    help: 'Compare the fingerprint below with the one the backend shows on its own console; pin it when they are the same, or give the authority that signed it.',
  },
  'not-storage': {
    what: 'What answers there is no storage service',
    help: 'Check address and port, and whether it wants https.',
  },
  'wrong-credentials': { what: 'It refuses this user and password', help: 'Check both; nothing was stored.' },
  'lacking-rights': {
    what: 'The account may look, and change nothing',
    help: 'Give it a role on the backend that may configure components, or use another account.',
  },
  'too-old': { what: 'It speaks a version that is too old', help: 'Update the backend, then look again.' },
  nonsense: {
    what: 'It answers in a way that cannot be used',
    help: 'The detail below says what is wrong; its vendor will want to know.',
  },
};
