import type { components } from './schema.gen';

type Schemas = components['schemas'];

export type Service = Schemas['Service'];
export type Operation = Schemas['Operation'];
export type OperationDetail = Schemas['OperationDetail'];
export type OperationPart = Schemas['OperationPart'];
export type OperationBody = Schemas['OperationBody'];
export type OperationResponse = Schemas['OperationResponse'];
export type TestCall = Schemas['TestCall'];
export type TestCallResult = Schemas['TestCallResult'];
export type Mapping = Schemas['Mapping'];
export type MappingDocument = Schemas['MappingDocument'];
export type ImportReport = Schemas['ImportReport'];
export type Changes = Schemas['Changes'];
export type Revision = Schemas['Revision'];
export type Call = Schemas['Call'];
export type CallDetail = Schemas['CallDetail'];
export type Message = Schemas['Message'];
export type Step = Schemas['Step'];
export type Batch = Schemas['Batch'];
export type Status = Schemas['Status'];
export type Source = Schemas['Source'];
export type ProblemDocument = Schemas['Problem'];
export type Fault = Schemas['Fault'];
