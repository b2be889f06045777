/** Text that is made as it is read, as an answer: nothing is made ahead of whoever reads, and it ends where nobody does. */
export function streamed(text: AsyncGenerator<string>, headers: Record<string, string>): Response {
  const encoder = new TextEncoder();
  const stream = new ReadableStream<Uint8Array>({
    async pull(controller) {
      const next = await text.next();
      if (next.done) controller.close();
      else controller.enqueue(encoder.encode(next.value));
    },
    async cancel() {
      await text.return(undefined);
    }
  });
  return new Response(stream, { headers: { 'cache-control': 'no-store', ...headers } });
}
