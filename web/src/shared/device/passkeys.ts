/** Passkeys: what the server asks, put to the browser, and what the browser answers, put into JSON. */
import type { Problem } from '../api/client';

type Options = Record<string, unknown>;
type Signed = { credential: Record<string, unknown>; problem: null } | { credential: null; problem: Problem };

const bytes = (word: string) =>
  Uint8Array.from(
    atob(
      word
        .replaceAll('-', '+')
        .replaceAll('_', '/')
        .padEnd(Math.ceil(word.length / 4) * 4, '='),
    ),
    (c) => c.charCodeAt(0),
  );
const word = (data: ArrayBuffer) =>
  btoa(String.fromCharCode(...new Uint8Array(data)))
    .replaceAll('+', '-')
    .replaceAll('/', '_')
    .replace(/=+$/, '');

/** Whether this browser has passkeys here: they need a secure address. */
export const hasPasskeys = () => typeof PublicKeyCredential !== 'undefined' && window.isSecureContext;

/** Put bytes in the place of words, wherever the standard wants bytes. */
function opened(options: Options): Options {
  const key = structuredClone(options.publicKey) as {
    challenge: unknown;
    user?: { id: unknown };
    allowCredentials?: { id: unknown }[];
    excludeCredentials?: { id: unknown }[];
  };
  key.challenge = bytes(key.challenge as string);
  if (key.user) key.user.id = bytes(key.user.id as string);
  for (const known of [...(key.allowCredentials ?? []), ...(key.excludeCredentials ?? [])]) known.id = bytes(known.id as string);
  return { publicKey: key };
}

async function asked(what: 'get' | 'create', options: Options): Promise<Signed> {
  try {
    const made = (await navigator.credentials[what](opened(options))) as PublicKeyCredential;
    const response = made.response as unknown as Record<string, ArrayBuffer | null | undefined>;
    const parts = ['clientDataJSON', 'attestationObject', 'authenticatorData', 'signature', 'userHandle'];
    const shown = parts.filter((p) => response[p]).map((p) => [p, word(response[p]!)]);
    return {
      credential: {
        id: made.id,
        rawId: word(made.rawId),
        type: made.type,
        response: Object.fromEntries(shown),
        clientExtensionResults: made.getClientExtensionResults(),
      },
      problem: null,
    };
  } catch {
    // The browser says the same whether it was cancelled, timed out or there is none: nobody is to learn which.
    const detail = 'The device gave no passkey. Try again, or sign in another way.';
    return { credential: null, problem: { status: 0, code: 'no_passkey', detail, field: 'credential' } };
  }
}

export const signWithPasskey = (options: Options) => asked('get', options);
export const makePasskey = (options: Options) => asked('create', options);
