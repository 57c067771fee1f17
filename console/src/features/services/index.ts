export { serviceList } from './queries';
export { ServicePage } from './ServicePage';
export { ServicesPage } from './ServicesPage';
