/** What each strategy does and its settings, from the very forms that the inspector shows. */
import { useStrategies } from "../api/shop";

export const STRATEGIES = "strategies";

export function StrategyPages() {
  const { data } = useStrategies();
  return (
    <>
      <h1>Strategies</h1>
      <p>What an operation can do, and its settings.</p>
      {(data ?? []).map((strategy) => (
        <section key={strategy.key}>
          <h2 id={strategy.key}>{strategy.title}</h2>
          <p>{strategy.summary}</p>
          <p>
            Cutters: {strategy.shapes.join(", ")}. Setups: {strategy.kinds.join(", ")}.
          </p>
          <table>
            <tbody>
              {Object.entries(strategy.schema.properties).map(([name, field]) => (
                <tr key={name}>
                  <td>{field.title}</td>
                  <td>{field.description}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      ))}
    </>
  );
}
