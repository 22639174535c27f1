import { Box, Button, TextField, Typography } from '@mui/material';
import { useState } from 'react';
import { ApiProblem, ask } from '../api/client';
import { refresh } from '../api/queries';
import { useSelected } from '../frame/address';
import { useNotice } from '../parts/useAct';
import { mono } from '../theme/theme';
import { Column, Row } from '../parts/layout';

const example = `apiVersion: v1
kind: PersistentVolumeClaim
metadata:
  name: level-log
  namespace: tide-gauges
spec:
  accessModes: [ReadWriteOnce]
  storageClassName: general
  resources:
    requests:
      storage: 80Gi
`;

/** Claims and classes written as manifests: checked whole, told by line. */
export function ManifestForm({ close }: { close: () => void }) {
  const [text, setText] = useState('');
  const [problem, setProblem] = useState<ApiProblem | 'silent'>();
  const [, select] = useSelected();
  const show = useNotice((s) => s.show);
  const submit = async (event: React.FormEvent) => {
    event.preventDefault();
    try {
      const { made } = await ask('createFromManifest', { body: { text } });
      void refresh('claims');
      const claim = made.find((m) => m.namespace);
      if (claim) select(`${claim.namespace}/${claim.name}`);
      show({
        kind: 'done',
        text: `Made: ${made.map((m) => (m.namespace ? `${m.namespace}/${m.name}` : m.name)).join(', ')}.`,
      });
      close();
    } catch (error) {
      setProblem(error instanceof ApiProblem ? error : 'silent');
    }
  };
  const said =
    problem === 'silent'
      ? ['The server does not answer. What you typed is still here.']
      : problem?.errors.length
        ? problem.errors.map((e) => e.detail)
        : problem
          ? [problem.detail]
          : [];
  return (
    <Column
      component="form"
      onSubmit={(e: React.FormEvent) => void submit(e)}
      noValidate
      gap={2}
      sx={{ p: 3, pt: 1, width: 520 }}
    >
      <TextField
        label="Manifest, YAML or JSON"
        multiline
        minRows={18}
        maxRows={26}
        value={text}
        placeholder={example}
        onChange={(e) => {
          setText(e.target.value);
          setProblem(undefined);
        }}
        error={said.length > 0}
        slotProps={{
          inputLabel: { shrink: true },
          htmlInput: { spellCheck: false, style: { fontFamily: mono, fontSize: 12.5 } },
        }}
      />
      {said.length > 0 && (
        <Box component="ul" role="alert" sx={{ m: 0, pl: 2, color: 'error.main', fontSize: 13 }}>
          {said.map((line) => (
            <li key={line}>{line}</li>
          ))}
        </Box>
      )}
      <Typography variant="caption" color="text.secondary">
        Persistent volume claims, and storage classes of this product; several documents are made together or not at
        all.
      </Typography>
      <Row justify="flex-end">
        <Button onClick={close}>Leave</Button>
        <Button type="submit" variant="contained" disabled={text.trim() === ''}>
          Make them
        </Button>
      </Row>
    </Column>
  );
}
