import './accounts.scss';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import { sentenceOf } from '../api/request.ts';
import { sessionKey, signIn } from '../api/session.ts';

interface Props {
  /** Why one has to, if it is not clear. */
  readonly because?: string;
  readonly onSignedIn?: (name: string | null) => void;
}

/** Name and password; whoever shows it goes on when one is signed in. */
export function SignIn({ because, onSignedIn }: Props) {
  const queries = useQueryClient();
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const signing = useMutation({
    mutationFn: () => signIn(name.trim(), password),
    onSuccess: async (session) => {
      // What was asked for before may still be refused, and would be taken for an answer to now.
      await queries.cancelQueries();
      queries.setQueryData(sessionKey, session);
      void queries.invalidateQueries();
      onSignedIn?.(session.name);
    },
  });
  return (
    <Form
      className="sign-in"
      onSubmit={(event) => {
        event.preventDefault();
        signing.mutate();
      }}
    >
      {because && <p>{because}</p>}
      <Form.Group className="mb-2" controlId="sign-in-name">
        <Form.Label>Name</Form.Label>
        <Form.Control
          autoFocus
          required
          maxLength={40}
          autoComplete="username"
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
      </Form.Group>
      <Form.Group className="mb-3" controlId="sign-in-password">
        <Form.Label>Password</Form.Label>
        <Form.Control
          required
          type="password"
          maxLength={200}
          autoComplete="current-password"
          value={password}
          onChange={(event) => setPassword(event.target.value)}
        />
      </Form.Group>
      {signing.isError && (
        <p role="alert" className="text-danger-emphasis">
          {sentenceOf(signing.error)}
        </p>
      )}
      <Button type="submit" disabled={signing.isPending}>
        {signing.isPending ? 'Signing in …' : 'Sign in'}
      </Button>
      <p className="quiet mt-3 mb-0">
        Accounts are made where Pannet runs: “./pannet account add NAME”; a forgotten password is
        set anew with “./pannet account password NAME”.
      </p>
    </Form>
  );
}
