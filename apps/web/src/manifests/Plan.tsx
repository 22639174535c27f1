import { Box, Button, Checkbox, FormControlLabel, Typography } from '@mui/material';
import type { ManifestResult } from '@moorage/contract/manifests';
import { useContext, useState } from 'react';
import { ApiProblem, ask } from '../api/client';
import { refresh } from '../api/queries';
import { Mark } from '../marks/Mark';
import { Column, Fill, Plain, Row } from '../parts/layout';
import { PersonContext } from '../parts/person';
import { useNotice } from '../parts/useAct';
import {
  actWords,
  countOf,
  fateLines,
  foreseen,
  kindWord,
  allLandings,
  markOf,
  nameOf,
  planSentence,
  resultSentence,
  type Foreseen,
} from './plan-words';
import type { PlanOfText } from './usePlan';

/** One object of a text: where it stands, and what becomes of it. */
export function Planned({
  object,
  show,
}: {
  object: Foreseen;
  /** `nowhere`: the text is not shown, so its lines say nothing. */
  show?: ((line: number) => void) | 'nowhere';
}) {
  const { line, kind, fate } = object;
  const currency = useContext(PersonContext)?.currency;
  return (
    <Box component="li" sx={{ borderTop: 1, borderColor: 'divider', py: 0.75 }}>
      <Row align="baseline">
        <Mark kind={markOf(object)} />
        <Fill>
          <strong>{nameOf(object)}</strong>{' '}
          <Typography component="span" variant="body2" color="text.secondary">
            {kindWord(kind)}
          </Typography>
        </Fill>
        {show === 'nowhere' ? null : show ? (
          <Button sx={{ minHeight: 22, py: 0 }} onClick={() => show(line)}>
            line {line}
          </Button>
        ) : (
          <Typography component="span" variant="body2" color="text.secondary">
            line {line}
          </Typography>
        )}
      </Row>
      {fateLines(object, currency).map((said) => (
        <Typography
          key={said}
          variant="body2"
          color={fate === 'refused' ? 'error' : 'text.secondary'}
          sx={{ pl: 3, overflowWrap: 'anywhere' }}
        >
          {said}
        </Typography>
      ))}
    </Box>
  );
}

/** Gives a text to the platform as its plan has it; the plan is looked at once more by the server. */
export function Apply({
  text,
  of: { plan, isFresh, problem, landing },
  done,
}: {
  text: string;
  of: PlanOfText;
  done: (result: ManifestResult) => void;
}) {
  const [leaveOut, setLeaveOut] = useState(false);
  const [busy, setBusy] = useState(false);
  const [refusal, setRefusal] = useState<{ readonly text: string; readonly detail: string }>();
  const show = useNotice((s) => s.show);
  const currency = useContext(PersonContext)?.currency ?? '';
  const refused = plan ? countOf(plan, 'refused') : 0;
  const going = plan ? countOf(plan, 'new') + countOf(plan, 'changed') : 0;
  const apply = async () => {
    setBusy(true);
    setRefusal(undefined);
    try {
      const body = { text, planned: plan!.planned, ...(leaveOut && { leaveOut }) };
      const result = await ask('createFromManifest', { body, key: crypto.randomUUID() });
      void refresh('claims', 'classes', 'placement', 'plan', 'operations');
      show({ kind: 'done', text: resultSentence(result) });
      done(result);
    } catch (error) {
      const silent = 'The server does not answer. The text is still here; look under what is under way, and try again.';
      setRefusal({ text, detail: error instanceof ApiProblem ? error.detail : silent });
      void refresh('plan', 'operations');
    } finally {
      setBusy(false);
    }
  };
  const said = problem ?? (refusal?.text === text ? refusal.detail : undefined);
  return (
    <Column gap={1}>
      {said !== undefined && (
        <Typography role="alert" color="error" variant="body2">
          {said}
        </Typography>
      )}
      <Row align="center" wraps>
        <Fill aria-live="polite">{plan && planSentence(plan)}</Fill>
        {refused > 0 && going > 0 && (
          <FormControlLabel
            control={<Checkbox size="small" checked={leaveOut} onChange={(e) => setLeaveOut(e.target.checked)} />}
            label={`Leave out the ${refused} refused`}
          />
        )}
        <Button
          variant="contained"
          disabled={!isFresh || busy || going === 0 || (refused > 0 && !leaveOut)}
          onClick={() => void apply()}
        >
          {plan && going > 0 ? actWords(plan) : 'Nothing to do'}
        </Button>
      </Row>
      {landing && landing.size > 0 && (
        <Typography variant="body2" aria-live="polite">
          {allLandings(landing, currency)}
        </Typography>
      )}
    </Column>
  );
}

/** What becomes of each object of a text; what is refused first. */
export function PlanList({ of: { plan, landing }, show }: { of: PlanOfText; show?: 'nowhere' }) {
  if (!plan) return null;
  const objects = foreseen(plan, landing).toSorted(
    (a, b) => Number(b.fate === 'refused') - Number(a.fate === 'refused'),
  );
  return (
    <Plain aria-label="What becomes of each">
      {objects.map((object, i) => (
        <Planned key={i} object={object} show={show} />
      ))}
    </Plain>
  );
}
