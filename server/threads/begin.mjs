// Begins a thread: TypeScript runs through tsx, which does not reach into threads by itself.
import { workerData } from 'node:worker_threads';
import { register } from 'tsx/esm/api';

register();
await import(workerData.file);
