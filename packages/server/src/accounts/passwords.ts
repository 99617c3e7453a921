import { hash, verify } from '@node-rs/argon2';
import { failure, success, type Outcome } from '@pannet/core/outcome';

const shortest = 12;
const longest = 200;

/** Megabytes of words, for the seldom moment that a password is chosen. */
async function isCommon(password: string): Promise<boolean> {
  const { dictionary } = await import('@zxcvbn-ts/language-common');
  return dictionary['passwords-common'].includes(password);
}

/** Whether a password may be chosen: OWASP ASVS 5.0, 6.2.1, 6.2.4, 6.2.5, 6.2.9 (any characters, long, none that is usual). */
export async function checkPassword(password: string, name: string): Promise<Outcome<string>> {
  const refuse = (sentence: string) => failure('bad-password', sentence, 'password');
  if ([...password].length < shortest || password.length > longest)
    return refuse(`A password has ${shortest} to ${longest} characters.`);
  const plain = password.toLowerCase();
  if (new Set(plain).size < 5 || (await isCommon(plain)))
    return refuse('This password is among the first that anyone would try; choose another.');
  if (plain.includes(name.toLowerCase()))
    return refuse("A password must not have the account's name in it.");
  return success(password);
}

/** Argon2id with the costs of OWASP's Password Storage Cheat Sheet: 19 MiB, 2 passes, 1 lane. */
const costs = { memoryCost: 19_456, timeCost: 2, parallelism: 1 };

export function hashPassword(password: string): Promise<string> {
  return hash(password, costs);
}

let nobody: Promise<string> | undefined;

/** @param kept null for a name that there is not: it takes as long as one that there is */
export async function passwordFits(kept: string | null, password: string): Promise<boolean> {
  nobody ??= hashPassword('nobody has this password');
  const fits = await verify(kept ?? (await nobody), password);
  return fits && kept !== null;
}
