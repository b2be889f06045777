declare module 'email-reply-parser' {
  /** Parts a plain-text reply into what its writer said and what they quoted. */
  export default class EmailReplyParser {
    read(text: string): { getVisibleText(options?: { aggressive?: boolean }): string };
  }
}
