import { actingAs, actor, actorIn } from "./actor";

test("a name is read out of a header, cut where it is long, and none where it cannot be", () => {
  expect(actorIn(encodeURIComponent("Ana Brûlé"))).toBe("Ana Brûlé");
  expect(actorIn(encodeURIComponent("x".repeat(500)))).toHaveLength(200);
  expect([actorIn(undefined), actorIn("%E0%A4%A"), actorIn("%20"), actorIn(["a"])]).toEqual([
    ...[null, null, null, null],
  ]);
});

test("who acts is known in all that follows, and nowhere else", async () => {
  const later = async (name: string) =>
    actingAs(name, async () => {
      await new Promise((ok) => setTimeout(ok, 5));
      return actor();
    });
  expect(await Promise.all([later("Ana"), later("Ben")])).toEqual(["Ana", "Ben"]);
  expect(actingAs("Ana", () => actingAs(null, actor))).toBeNull();
  expect(actor()).toBeNull();
});
