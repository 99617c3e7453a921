/** @jest-environment jsdom */
import { expect, test } from '@jest/globals';
import { portraitOf } from '@pannet/core/takes/portrait';
import type { Part } from '@pannet/core/song/song';
import { render } from '@testing-library/react';
import { OpenSongContext } from '../session/use-open-song.ts';
import { openTwoParts } from '../testing/show-song.tsx';
import { TakeCharts } from './TakeCharts.tsx';
import type { TakeFigures } from './takes-question.ts';

const width = 764;

// jsdom lays nothing out.
HTMLElement.prototype.getBoundingClientRect = () => new DOMRect(0, 0, width, 400);

test('spectra are as wide as there is room, also where the takes were measured only after they were opened', () => {
  const open = openTwoParts('harp');
  const part: Part = open.session.store.getState().song.parts.harp;
  const charts = (figures: TakeFigures | null) => (
    <OpenSongContext value={open}>
      <TakeCharts
        part={part}
        reference={part.takes[0]}
        view={{ from: 0, to: 48_000 }}
        figuresOf={() => figures}
      />
    </OpenSongContext>
  );
  const { container, rerender } = render(charts(null));
  expect(container.textContent).toMatch(/are being measured/);
  const samples = Float32Array.from({ length: 48_000 }, (_, n) => Math.sin(n / 10) / 4);
  const portrait = portraitOf(samples, 48_000);
  rerender(charts({ portrait, crestDb: 3, noiseDb: null, likeness: null }));
  const drawn = [...container.querySelectorAll('svg.recharts-surface')];
  expect(drawn.length).toBeGreaterThanOrEqual(2);
  for (const chart of drawn) expect(Number(chart.getAttribute('width'))).toBe((width - 24) / 2);
});
