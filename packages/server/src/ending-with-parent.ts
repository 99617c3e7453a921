/** Ends this process soon after its parent, however that ended: else it would hold ports and databases that nobody asked it to. */
export function endWithParent(environment: NodeJS.ProcessEnv): void {
  const parent = Number(environment.PANNET_PARENT);
  if (!parent) return;
  setInterval(() => {
    if (process.ppid !== parent) process.kill(process.pid, 'SIGTERM');
  }, 500).unref();
}
