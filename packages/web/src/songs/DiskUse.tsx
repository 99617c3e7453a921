import { plural } from '@pannet/core/quantities/wording';
import { useQuery } from '@tanstack/react-query';
import { getDiskUse } from '../api/disk.ts';

const gigabytes = (bytes: number) =>
  bytes < 1e9 ? `${(bytes / 1e6).toFixed(0)} MB` : `${(bytes / 1e9).toFixed(1)} GB`;

/** What the server's disk holds, and what a purge would give back. */
export function DiskUse() {
  const { data } = useQuery({ queryKey: ['disk'], queryFn: getDiskUse, staleTime: 30_000 });
  if (!data) return null;
  const { neededBytes, unneededBytes, deletedSongs, freeBytes, purgeDays } = data;
  const purgeable = [
    ...(unneededBytes > 0 ? [`${gigabytes(unneededBytes)} that no song needs`] : []),
    ...(deletedSongs > 0
      ? [`${plural(deletedSongs, 'deleted song')}, each after ${purgeDays} days`]
      : []),
  ];
  return (
    <p className="quiet mt-4" data-testid="disk-use">
      {gigabytes(neededBytes)} of recordings on the server&apos;s disk, {gigabytes(freeBytes)} free.
      {purgeable.length > 0 && ` “./pannet purge” removes ${purgeable.join(' and ')}.`}
    </p>
  );
}
