// What a program calls itself, for people: "Chromium on Linux" rather than what a browser sends (RFC 9110, section 10.1.5).
import Bowser from "bowser";

export function program(agent: string): string {
  if (!agent.startsWith("Mozilla/")) return agent || "unknown";
  const { browser, os } = Bowser.parse(agent);
  return [browser.name ?? "a browser", os.name].filter(Boolean).join(" on ");
}
