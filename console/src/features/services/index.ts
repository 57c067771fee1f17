export { operationList } from './queries';
export { ServicePage } from './ServicePage';
export { ServicesPage } from './ServicesPage';
