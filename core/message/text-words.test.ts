/** Words that are more than an answer, in each language and a workspace's own. */
import { expect, it } from 'vitest';
import { wordOf } from './text-words.ts';

it.each([
  ['STOP', 'stop'],
  ['Stopp bitte', 'stop'],
  ['ARRÊT', 'stop'],
  ['baja', 'stop'],
  ['Stad!', 'stop'],
  ['Start', 'start'],
  ['please subscribe', 'start'],
  ['HELP', 'help'],
  ['Hilfe', 'help'],
  ['Ayuda.', 'help'],
  ['Genug', 'stop'],
  ['What does stop mean?', null],
  ['Start at nine?', null],
  ['no help needed', null],
  ['', null]
])('%j is %s', (text, word) => expect(wordOf(text, { stop: ['GENUG'] })).toBe(word));
