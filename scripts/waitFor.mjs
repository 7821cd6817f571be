// Waits until an address answers: node scripts/waitFor.mjs URL [pid that must stay alive]
const [url, pid] = process.argv.slice(2);
for (const end = Date.now() + 60000; Date.now() < end;) {
  if (pid) {
    try {
      process.kill(Number(pid), 0);
    } catch {
      process.exit(1);
    }
  }
  try {
    if ((await fetch(url)).ok) {
      process.exit(0);
    }
  } catch {
    /* not yet */
  }
  await new Promise((ok) => setTimeout(ok, 60));
}
console.error(`${url} does not answer after a minute.`);
process.exit(1);
