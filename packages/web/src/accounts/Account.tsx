import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { lazy, Suspense, useState } from 'react';
import Button from 'react-bootstrap/Button';
import { sentenceOf } from '../api/request.ts';
import { getSession, sessionKey, signOut } from '../api/session.ts';
import { say } from '../controls/notices.ts';

// With all that a dialog is made of: the list of songs needs none of it.
const PasswordDialog = lazy(() =>
  import('./PasswordDialog.tsx').then(({ PasswordDialog: dialog }) => ({ default: dialog })),
);

export function useAccount() {
  return useQuery({ queryKey: sessionKey, queryFn: getSession, staleTime: 60_000 });
}

/** Who is signed in, and out again; nothing where there are no accounts. */
export function Account() {
  const queries = useQueryClient();
  const { data } = useAccount();
  const [choosing, setChoosing] = useState(false);
  const leave = useMutation({
    mutationFn: signOut,
    onSuccess: () => {
      // At once, so that nothing of this account stays on the screen; then what the server says.
      queries.setQueryData(sessionKey, { accounts: true, name: null });
      queries.removeQueries({ predicate: ({ queryKey }) => queryKey[0] !== sessionKey[0] });
      void queries.invalidateQueries({ queryKey: sessionKey });
    },
    onError: (error) => say(sentenceOf(error)),
  });
  if (!data?.name) return null;
  return (
    <span className="me-3 quiet">
      {data.name}{' '}
      <Button
        size="sm"
        variant="outline-primary"
        className="me-1"
        onClick={() => setChoosing(true)}
      >
        Password
      </Button>
      <Button size="sm" variant="outline-primary" onClick={() => leave.mutate()}>
        Sign out
      </Button>
      <Suspense>{choosing && <PasswordDialog onClose={() => setChoosing(false)} />}</Suspense>
    </span>
  );
}
