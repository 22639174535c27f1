import type { LiveEvent } from '@moorage/contract/live';
import type { Role } from '@moorage/contract/people';
import { OutsideProblem } from '../refusals/outside';
import type { Operation } from './operation';

/** One state of a kind: what it is called, where one goes from it, and whether one stays there. */
export interface Place<State extends string> {
  /** As a person reads it beside the subject: "data is moving". */
  readonly words: string;
  /** Where it may go. Zero rows of a move is an answer; a move that is not here is a mistake of ours. */
  readonly to: readonly State[];
  /** `end`: finished, unless something from outside opens it again. `wait`: something from outside wakes it, no clock does. */
  readonly stays?: 'end' | 'wait';
}

/** A kind of operation: all that the table, the runner, the metrics and the interface need to know of it. */
export interface Kind<State extends string = string> {
  /** As it stands in the table and in the metrics. */
  readonly kind: string;
  /** What is done, as a person reads it: "Binding a claim". */
  readonly title: string;
  readonly begins: State;
  readonly states: Readonly<Record<State, Place<State>>>;
  /** What an open one holds of its subject: of those that hold the same, a subject has one that is open, whatever their kinds. */
  readonly holds: string;
  /** A subject has one for good, finished or not; it is opened again, never begun a second time. */
  readonly once?: boolean;
  /** Where it goes when it is called off, or refused for good: there all that was done is taken back. */
  readonly undo?: NoInfer<State>;
  /** What calling it off comes to, in words; left out, all that it did is taken back. */
  readonly callsOff?: string;
  /** Tries of one step before it is undone; without it a step that fails is tried until it goes. */
  readonly mostTries?: number;
  /** Who may pause it, call it off and try again. */
  readonly steered: readonly Role[];
}

/** Nothing failed; there is more to see in a while. */
export interface LookAgain {
  readonly againAfterS: number;
}
/** Does what a state asks for, and may be repeated without harm. Gives the operation as it then is, or undefined when it rests or was moved by somebody else. */
export type Step = (operation: Operation) => Promise<Operation | LookAgain | undefined>;

/** Tried again after a pause, taken back as a whole, or left until a person says what now. */
export type AfterFailure = 'again' | 'undo' | 'stop';

/** A kind with its steps: what the runner carries. */
export interface Work<State extends string = string> {
  readonly kind: Kind<State>;
  /** What is done in each state; a state that has none rests. */
  readonly steps: Partial<Readonly<Record<State, Step>>>;
  /** Which pages are told when a step was done or failed, beside the list of operations. */
  readonly tells: (operation: Operation) => LiveEvent;
  /** What is done about a step that failed; left out, `afterFailure` says it. */
  readonly afterFailure?: (operation: Operation, error: unknown) => AfterFailure | Promise<AfterFailure>;
}

export const mayMove = ({ states }: Kind, from: string, to: string): boolean => states[from]?.to.includes(to) ?? false;

/** What is refused for good, or was tried often enough, is undone where the kind can; what can only be tried again is. */
export function afterFailure(kind: Kind, { state, attempts }: Operation, error: unknown): AfterFailure {
  const isForGood = error instanceof OutsideProblem && error.isForGood;
  const canUndo = kind.undo !== undefined && mayMove(kind, state, kind.undo);
  if (canUndo && (isForGood || attempts + 1 >= (kind.mostTries ?? Infinity))) return 'undo';
  return isForGood ? 'stop' : 'again';
}

const statesOf = <S extends string>(kind: Kind<S>): S[] => Object.keys(kind.states) as S[];

/** Where a kind rests for good. */
export const endsOf = <S extends string>(kind: Kind<S>): S[] =>
  statesOf(kind).filter((s) => kind.states[s].stays === 'end');

/** From where one gets to a state. */
export const sourcesOf = <S extends string>(kind: Kind<S>, to: S): S[] =>
  statesOf(kind).filter((s) => kind.states[s].to.includes(to));

/** What a row says of where it stands, besides the state itself. */
export const standing = (kind: Kind, state: string) => {
  const stays = kind.states[state]?.stays;
  return {
    resting: stays === 'wait',
    ended: stays === 'end',
    holds: stays === 'end' && !kind.once ? null : kind.holds,
  };
};

const text = (word: string): string => `'${word.replace(/'/g, "''")}'`;

/** Notes when a row came to a state, unless it was there already: what is decided again and again is one step. */
export const stepTo = (state: string, at = ''): string =>
  `steps = CASE WHEN ${at}state = ${state} OR jsonb_array_length(${at}steps) >= 100 THEN ${at}steps
     ELSE ${at}steps || jsonb_build_array(jsonb_build_object('state', ${state}, 'at', clock_timestamp())) END`;

/** For the `SET` of a statement: everything that changes in a row when it comes to a state. */
export function setTo<S extends string>(kind: Kind<S>, to: S, waitingFor = 'NULL', at = ''): string {
  const { resting, ended, holds } = standing(kind, to);
  return `state = ${text(to)}, ${stepTo(text(to), at)}, resting = ${resting}, ended_at = ${ended ? 'now()' : 'NULL'}, holds = ${holds === null ? 'NULL' : text(holds)},
    waiting_for = ${waitingFor}, stopped = ${ended ? 'NULL' : `CASE ${at}stopped WHEN 'paused' THEN 'paused' END`}, error = NULL, attempts = 0, next_attempt_at = NULL, updated_at = now()`;
}

/** For the `WHERE` of a statement: rows of a kind that may come to a state. */
export const mayGoTo = <S extends string>(kind: Kind<S>, to: S, at = ''): string =>
  `${at}kind = ${text(kind.kind)} AND ${at}state IN (${sourcesOf(kind, to).map(text).join(', ')})`;

/** Throws when a kind contradicts itself; servers look at all of theirs before they begin. */
export function assertSound({ kind, steps }: Work): void {
  const wrong = (what: string): never => {
    throw new Error(`the kind of operation "${kind.kind}" ${what}`);
  };
  const { states, begins, undo } = kind;
  if (!states[begins]) wrong(`begins in ${begins}, which is no state of it`);
  if (undo !== undefined && !states[undo]) wrong(`is undone in ${undo}, which is no state of it`);
  for (const [state, { to, stays }] of Object.entries(states)) {
    for (const next of to) if (!states[next]) wrong(`goes from ${state} to ${next}, which is no state of it`);
    if (stays === 'end' ? steps[state] !== undefined : steps[state] === undefined)
      wrong(stays === 'end' ? `ends in ${state} and has a step there` : `stays in ${state} and has no step there`);
    if (stays !== 'end' && to.length === 0) wrong(`never leaves ${state}`);
  }
  const reached = new Set([begins]);
  for (const state of reached) for (const next of states[state]!.to) reached.add(next);
  const lost = Object.keys(states).find((s) => !reached.has(s));
  if (lost) wrong(`never comes to ${lost}`);
}
