export default async function tearDown() {
  await globalThis.pannetTearDown();
}
