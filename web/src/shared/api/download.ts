/** Fetch a file and hand it to the browser; the words of the problem where it is refused, else an empty text. */
export async function download(path: string): Promise<string> {
  let answer: Response;
  try {
    answer = await fetch(path, { credentials: 'same-origin' });
  } catch {
    return 'No link to the server. Try again when there is one.';
  }
  if (!answer.ok) {
    const problem = (await answer.json().catch(() => null)) as { detail?: string } | null;
    return problem?.detail ?? `The server answered ${answer.status}. Try again.`;
  }
  const name = /filename="([^"]+)"/.exec(answer.headers.get('Content-Disposition') ?? '')?.[1] ?? 'route';
  const link = document.createElement('a');
  link.href = URL.createObjectURL(await answer.blob());
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
  return '';
}
