import { QueryClient, QueryClientProvider, useQuery } from "@tanstack/react-query";
import { act, renderHook, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { expect, it } from "vitest";
import { refresh } from "./refresh";

it("drops a first answer that was asked for before the change", async () => {
  const answers: ((data: string[]) => void)[] = [];
  const client = new QueryClient();
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={client}>{children}</QueryClientProvider>
  );
  const queryFn = () => new Promise<string[]>((answer) => answers.push(answer));
  const { result } = renderHook(() => useQuery({ queryKey: ["versions"], queryFn }), { wrapper });
  await waitFor(() => expect(answers).toHaveLength(1));
  const refreshed = refresh(client, ["versions"]);
  await waitFor(() => expect(answers).toHaveLength(2));
  await act(async () => {
    answers[1]?.(["new"]);
    answers[0]?.([]);
    await refreshed;
  });
  await waitFor(() => expect(result.current.data).toEqual(["new"]));
});
