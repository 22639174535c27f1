import { Box, Button, Paper, TextField, Typography } from '@mui/material';
import { signInSchema } from '@moorage/contract/people';
import { zodResolver } from '@hookform/resolvers/zod';
import { useForm } from 'react-hook-form';
import { ApiProblem, ask } from '../api/client';
import { keys } from '../api/keys';
import { queryClient, useDemoPeople } from '../api/queries';

export function SignIn() {
  const { register, handleSubmit, setError, formState } = useForm({
    resolver: zodResolver(signInSchema),
    defaultValues: { name: '', password: '' },
  });
  const { data: people = [] } = useDemoPeople();
  const enter = async (body: { name: string; password: string }) =>
    queryClient.setQueryData(keys.person(), await ask('signIn', { body }));
  const submit = handleSubmit(async (body) => {
    try {
      await enter(body);
    } catch (error) {
      setError('password', {
        message: error instanceof ApiProblem ? error.detail : 'The server does not answer. Try again in a moment.',
      });
    }
  });
  const { errors, isSubmitting } = formState;
  return (
    <Box component="main" sx={{ height: '100%', display: 'grid', placeItems: 'center', bgcolor: 'background.default' }}>
      <Paper
        component="form"
        onSubmit={submit}
        noValidate
        sx={{ p: 4, width: 380, display: 'flex', flexDirection: 'column', gap: 2 }}
      >
        <div>
          <Typography variant="h1">Vast Moorage</Typography>
          <Typography variant="body2" color="text.secondary">
            Where the volumes of your applications are kept, and why.
          </Typography>
        </div>
        <TextField
          label="Name"
          autoFocus
          autoComplete="username"
          {...register('name')}
          error={!!errors.name}
          helperText={errors.name && 'Your name is needed.'}
        />
        <TextField
          label="Password"
          type="password"
          autoComplete="current-password"
          {...register('password')}
          error={!!errors.password}
          helperText={
            errors.password &&
            (errors.password.type === 'too_small' ? 'The password is needed.' : errors.password.message)
          }
        />
        <Button type="submit" variant="contained" disabled={isSubmitting}>
          Sign in
        </Button>
        {people.length > 0 && (
          <Box component="section" aria-label="Made-up people" sx={{ borderTop: 1, borderColor: 'divider', pt: 1.5 }}>
            <Typography variant="body2" color="text.secondary">
              This is a demonstration. Its people are made up; come in as one of them:
            </Typography>
            {people.map(({ name, title, role, password }) => (
              <Button
                key={name}
                fullWidth
                sx={{ justifyContent: 'space-between' }}
                onClick={() =>
                  void enter({ name, password }).catch((error: unknown) =>
                    setError('password', {
                      message: error instanceof ApiProblem ? error.detail : 'The server does not answer.',
                    }),
                  )
                }
              >
                <span>{title}</span>
                <Typography component="span" variant="caption" color="text.secondary">
                  {role.replace('-', ' ')}
                </Typography>
              </Button>
            ))}
          </Box>
        )}
      </Paper>
    </Box>
  );
}
