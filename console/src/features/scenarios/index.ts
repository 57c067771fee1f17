export { ChangesView } from './ChangesView';
export { MakeScenario } from './MakeScenario';
export { scenarioList } from './queries';
export { useSituationRefresh, useSwitching } from './useSwitching';
