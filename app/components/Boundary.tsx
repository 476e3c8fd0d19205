import type { ReactNode } from 'react';
import { ErrorBoundary, type FallbackProps } from 'react-error-boundary';
import { sentenceOf } from '@upland-cast/core';
import { Button } from './controls';
import css from './Boundary.module.css';

/**
 * Keeps a fault within a part of the page: the rest goes on, and the part says what happened and
 * offers a way on. `rescue`: what else can be done, such as saving the project file.
 */
export function Boundary({ part, rescue, children }: { part: string; rescue?: ReactNode; children: ReactNode }) {
  return (
    <ErrorBoundary
      onError={(error) => console.error(error)}
      fallbackRender={({ error, resetErrorBoundary }: FallbackProps) => (
        <section className={css.fault} role="alert" aria-label={`${part}: a fault`}>
          <h2>{part} cannot be shown</h2>
          <p>Something in it went wrong: {sentenceOf(error)}</p>
          <p>Your terrain is not touched by this; the other parts go on.</p>
          <div className={css.buttons}>
            <Button look="main" onClick={resetErrorBoundary}>
              Show it again
            </Button>
            {rescue}
            <Button onClick={() => location.reload()}>Reload the page</Button>
          </div>
        </section>
      )}
    >
      {children}
    </ErrorBoundary>
  );
}
