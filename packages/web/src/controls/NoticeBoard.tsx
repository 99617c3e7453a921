import { X } from '@phosphor-icons/react';
import Button from 'react-bootstrap/Button';
import { useStore } from 'zustand';
import { dismiss, notices } from './notices.ts';

export function NoticeBoard() {
  const list = useStore(notices, (state) => state.list);
  return (
    <div className="notices" role="status" aria-live="polite">
      {list.map(({ id, sentence, action }) => (
        <div key={id} className="notice">
          <span className="flex-grow-1">{sentence}</span>
          {action && (
            <Button
              size="sm"
              variant="outline-light"
              onClick={() => {
                action.run();
                dismiss(id);
              }}
            >
              {action.label}
            </Button>
          )}
          <Button
            size="sm"
            variant="outline-light"
            aria-label="Dismiss"
            onClick={() => dismiss(id)}
          >
            <X />
          </Button>
        </div>
      ))}
    </div>
  );
}
