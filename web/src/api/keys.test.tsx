import { QueryClient, QueryClientProvider, useQuery } from "@tanstack/react-query";
import { render, screen } from "@testing-library/react";
import { expect, test } from "vitest";
import { askAgain, keys } from "./keys";

/** An answer that comes when `give` is called. */
function later() {
  let give: (answer: string) => void = () => undefined;
  const promise = new Promise<string>((resolve) => (give = resolve));
  return { promise, give };
}

function Decision({ ask }: { ask: () => Promise<string> }) {
  const { data = "nothing yet" } = useQuery({ queryKey: keys.report("ferry"), queryFn: ask });
  return <p>{data}</p>;
}

test.each([
  ["that has not come yet", undefined],
  ["that is there already", "as it was at first"],
])("an answer %s, asked for before a change, is not what stands after it", async (_when, known) => {
  const cache = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: Infinity } } });
  const late = later();
  const answers = [late.promise, Promise.resolve("decided")];
  const ask = () => answers.shift() ?? Promise.reject(new Error("asked once too often"));
  render(
    <QueryClientProvider client={cache}>
      <Decision ask={ask} />
    </QueryClientProvider>,
  );
  if (known) cache.setQueryData(keys.report("ferry"), known);
  await askAgain(cache, keys.report("ferry"));
  late.give("a decision is still to be made");
  await late.promise;
  await screen.findByText("decided");
  expect(answers).toEqual([]);
});

test("what nobody looks at any more is asked for again when somebody does", async () => {
  const cache = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: Infinity } } });
  const late = later();
  const left = cache.prefetchQuery({ queryKey: keys.report("ferry"), queryFn: () => late.promise });
  await askAgain(cache, keys.report("ferry"));
  late.give("a decision is still to be made");
  await left;
  expect(cache.getQueryData(keys.report("ferry"))).toBeUndefined();
});
