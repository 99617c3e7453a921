import Modal from 'react-bootstrap/Modal';
import { SignIn } from './SignIn.tsx';

interface Props {
  readonly because: string;
  readonly onSignedIn: (name: string | null) => void;
  readonly onClose: () => void;
}

/** Signs in over what is open, so that nothing of it is lost. */
export function SignInDialog({ because, onSignedIn, onClose }: Props) {
  return (
    <Modal show centered onHide={onClose} aria-labelledby="sign-in-title">
      <Modal.Header closeButton>
        <Modal.Title as="h2" className="h5" id="sign-in-title">
          Sign in and go on
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <SignIn because={because} onSignedIn={onSignedIn} />
      </Modal.Body>
    </Modal>
  );
}
