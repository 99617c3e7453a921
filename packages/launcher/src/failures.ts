/** Lines of what went wrong that are told of each failure. */
const mostLines = 24;

const colours = /\u001b\[[0-9;]*m/g;

const told = (name: string, message: string) =>
  [name, ...message.replace(colours, '').trimEnd().split('\n').slice(0, mostLines)].join('\n    ');

export interface JestReport {
  readonly numPassedTests: number;
  readonly testResults: readonly {
    readonly name: string;
    readonly status: string;
    readonly message: string;
    readonly assertionResults: readonly {
      readonly fullName: string;
      readonly status: string;
      readonly failureMessages: readonly string[];
    }[];
  }[];
}

/** What failed by Jest's report, each with its name and what went wrong; files that did not even load among them. */
export function failuresOfJest({ testResults }: JestReport): string[] {
  return testResults.flatMap(({ name, status, message, assertionResults }) => {
    const failed = assertionResults.filter((one) => one.status === 'failed');
    return failed.length === 0 && status === 'failed'
      ? [told(name, message)]
      : failed.map((one) => told(`${name}: ${one.fullName}`, one.failureMessages.join('\n')));
  });
}

interface Suite {
  readonly suites?: readonly Suite[];
  readonly specs: readonly {
    readonly file: string;
    readonly title: string;
    readonly ok: boolean;
    readonly tests: readonly {
      readonly results: readonly { readonly errors: readonly { readonly message?: string }[] }[];
    }[];
  }[];
}

export interface PlaywrightReport {
  readonly stats: { readonly expected: number; readonly flaky: number };
  readonly suites: readonly Suite[];
  /** What went wrong beside the tests: in the files, or in what is done before them. */
  readonly errors: readonly { readonly message?: string }[];
}

/** What failed by Playwright's report, each with its name and what went wrong. */
export function failuresOfPlaywright({ suites, errors }: PlaywrightReport): string[] {
  const of = ({ suites: inner = [], specs }: Suite): string[] => [
    ...specs
      .filter(({ ok }) => !ok)
      .map(({ file, title, tests }) =>
        told(
          `${file}: ${title}`,
          tests
            .flatMap(({ results }) => results.flatMap((result) => result.errors))
            .map(({ message = '' }) => message)
            .join('\n'),
        ),
      ),
    ...inner.flatMap(of),
  ];
  return [
    ...suites.flatMap(of),
    ...errors.map(({ message = '' }) => told('beside the journeys', message)),
  ];
}
