export { ServicePage } from './ServicePage';
export { ServicesPage } from './ServicesPage';
