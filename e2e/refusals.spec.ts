import { expect, test } from '@playwright/test';
import { wavFile } from '@pannet/core/formats/wav-write';
import { noise } from '../packages/core/src/measurement/signals.fixture.ts';
import { address, dropFiles, rate } from './stage.ts';

function patched(bytes: Uint8Array, offset: number, value: number, size: 2 | 4): Uint8Array {
  const copy = bytes.slice();
  const view = new DataView(copy.buffer);
  if (size === 2) view.setUint16(offset, value, true);
  else view.setUint32(offset, value, true);
  return copy;
}

test('what cannot be read is refused with a sentence, and nothing is lost', async ({ page }) => {
  const good = wavFile([noise(0.5, rate, 40)], rate, '16');
  await page.goto(address());
  await page.getByRole('button', { name: 'New song' }).click();
  await expect(page.getByText('This song is empty')).toBeVisible();
  await dropFiles(page, '.frame', [
    { name: 'good.wav', bytes: good },
    {
      name: 'renamed.wav',
      bytes: Uint8Array.of(...Buffer.from('ID3\x04'), ...new Uint8Array(2000)),
    },
    { name: 'truncated.wav', bytes: good.subarray(0, 20_000) },
    { name: 'nothing.wav', bytes: new Uint8Array(0) },
    { name: 'three.wav', bytes: patched(patched(good, 22, 3, 2), 32, 6, 2) },
    { name: 'liar.wav', bytes: patched(good.subarray(0, 1024), 40, 2_000_000_000, 4) },
  ]);
  const alerts = page.getByRole('region', { name: 'Import' }).getByRole('alert');
  await expect(alerts).toHaveCount(5);
  await expect(alerts.nth(0)).toContainText(
    '“renamed.wav” cannot be read as MP3: there is no sound in it.',
  );
  await expect(alerts.nth(1)).toContainText(
    '“truncated.wav” is cut short: its header promises 48000 bytes of audio, 19956 are there.',
  );
  await expect(alerts.nth(2)).toContainText('“nothing.wav” is empty (0 bytes).');
  await expect(alerts.nth(3)).toContainText(
    '“three.wav” has 3 channels; mono (1) and stereo (2) are read.',
  );
  await expect(alerts.nth(4)).toContainText(
    '“liar.wav” is cut short: its header promises 2000000000 bytes of audio, 980 are there.',
  );
  await expect(page.getByTestId('part-good')).toBeVisible();

  // A delay of 175 ms: the sentence is said, the old value stays.
  const delay = page.getByLabel('Delay of centre', { exact: true });
  await delay.fill('12');
  await delay.press('Enter');
  await delay.fill('175');
  await delay.press('Enter');
  await expect(
    page.getByRole('status').filter({ hasText: 'must be between −50 and 150 ms; it was 175.' }),
  ).toBeVisible();
  await expect(delay).toHaveAttribute('aria-invalid', 'true');
  await expect(delay).toHaveValue('12.00');

  await expect(page.getByText('saved', { exact: true })).toBeVisible();
  await page.reload();
  await expect(page.getByTestId('part-good')).toBeVisible();
  await expect(page.getByLabel('Delay of centre', { exact: true })).toHaveValue('12.00');
});
