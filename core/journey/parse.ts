/** Reading a journey from text: every problem at once, each with its line and path. */
import { findNodeAtLocation, parseTree, printParseErrorCode, type ParseError } from 'jsonc-parser';
import { pathText, schemaProblems, type Path, type Problem } from './problems.ts';
import { referenceProblems } from './references.ts';
import { journeySchema, type Journey } from './schema.ts';

export type Parsed = { journey: Journey; problems: [] } | { journey: null; problems: PlacedProblem[] };

export interface PlacedProblem {
  /** 1-based. */
  line: number;
  path: string;
  message: string;
}

/** Checks a value that is already JSON. */
export function checkJourney(
  document: unknown
): { journey: Journey; problems: [] } | { journey: null; problems: Problem[] } {
  const result = journeySchema.safeParse(document);
  if (!result.success) return { journey: null, problems: schemaProblems(result.error, document) };
  const problems = referenceProblems(result.data);
  return problems.length ? { journey: null, problems } : { journey: result.data, problems: [] };
}

/** Reads a `*.journey.json` file's text. */
export function parseJourney(text: string): Parsed {
  const errors: ParseError[] = [];
  const source = text.replace(/^\uFEFF/, '');
  const tree = parseTree(source, errors, { disallowComments: true });
  const lineAt = (offset: number): number => source.slice(0, offset).split('\n').length;
  if (errors.length || !tree) {
    const problems = (errors.length ? errors : [{ error: 0, offset: 0, length: 0 }]).map((e) => ({
      line: lineAt(e.offset),
      path: 'the document',
      message: `found text that is not JSON (${printParseErrorCode(e.error)}), expected a journey`
    }));
    return { journey: null, problems };
  }
  const checked = checkJourney(JSON.parse(source));
  if (checked.journey) return checked;
  const lineOf = (path: Path): number => {
    for (let end = path.length; end > 0; end--) {
      const node = findNodeAtLocation(tree, path.slice(0, end));
      if (node) return lineAt((node.parent?.type === 'property' ? node.parent : node).offset);
    }
    return lineAt(tree.offset);
  };
  return {
    journey: null,
    problems: checked.problems.map((p) => ({ line: lineOf(p.path), path: pathText(p.path), message: p.message }))
  };
}
