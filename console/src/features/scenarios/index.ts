export { ChangesView } from './ChangesView';
export { MakeScenario } from './MakeScenario';
export { scenarioList } from './queries';
export { ScenariosPage } from './ScenariosPage';
export { useSituationRefresh, useSwitching } from './useSwitching';
