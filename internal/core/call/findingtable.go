package call

// entry says what is said for a code, and what the code means.
type entry struct {
	code Code
	// text has {part}, {seen}, {expected} and {among} in it, and {0} for the first of
	// the values; [ ] enclose what is left out where a value in it is "".
	text    string
	meaning string
}

// table has every code, steps first, in the order of deciding.
var table = []entry{
	{Told, "{0}", "kept by an earlier version, in words alone"},

	{Named, "the call names it by {0}", "the call names the lane"},
	{ByRule, "its rule fits the call", "the rule of the lane takes the call"},
	{Hinted, "the hint of the call asks for it", "a hint names the scenario"},
	{OnForLane, "it is on for the lane", "the lane has the scenario on"},
	{NoService, "no service has this name", "the path names a service that does not exist"},
	{BareAddress, "the path names none", "the root of the port was called"},
	{Malformed, "{0}", "the request is not valid HTTP"},
	{BrokeOff, "it broke off after {0} bytes ({1}); the answer does not depend on it", "the body of the request is incomplete"},
	{NotIntercepted, "{0}", "the TLS connection of a listed host could not be intercepted"},

	{Fits, "method and path fit {0}[; conditions met: {1}]", "the mapping or operation fits"},
	{OtherMethod, "its path {0} fits, its method is {expected}", "the path fits, the method does not"},
	{OtherOperation, "the call is not for operation {expected}", "the mapping is for another operation"},
	{OtherPath, "the path is another one", "the path has nothing in common with the mapping's"},
	{Absent, "{part} is missing[, expected {expected}]", "a condition asks for something that the call does not have"},
	{Differs, "{part} is {seen}, expected {expected}", "a condition does not hold"},
	{SecretDiffers, "{part} is another secret than expected", "a condition on a secret does not hold; neither value is told"},
	{SecretUnknown, "{part} is a secret that was not recorded", "a condition knows a secret by its digest, and it is another one"},
	{TooMany, "{part} is {seen}, expected {expected}", "the call has something that no condition names"},
	{TooOften, "{part} is there {seen} times, expected {expected}", "the call has something more or less often than conditions name it"},
	{NoneHold, "none of: {among}", "no condition of a group of any holds"},
	{ForbiddenHold, "conditions that must not hold, but do: {0}", "conditions of a group of none hold"},
	{IfFalse, "if: the expression is false", "the expression of the mapping is false"},
	{IfNotBoolean, "if: the expression gives {seen}, not true or false", "the expression of the mapping gives neither true nor false"},
	{IfFailed, "if: {0}", "the expression of the mapping has no value for the call"},
	{NotLookedAt, "not looked at: {0}", "the budget of the call was used up before"},
	{LowerLayer, "fits too, but what {0} belongs to comes first", "a mapping of a higher layer won"},
	{LowerRank, "fits too, but rank {1} is below rank {2} of {0}", "a mapping of a higher rank won"},
	{LessSpecific, "fits too, but its path is less specific than {0}", "a mapping with a more specific path won"},
	{NamesNoMethod, "fits too, but {0} names the method", "a mapping that names the method won"},
	{AsksForLess, "fits too, but {0} asks for more", "a mapping with more conditions won"},
	{LaterID, "fits too, but comes after {0} in the order of ids", "a mapping that asks for the same won by its id"},
	{UsedUp, "all answers of its sequence ({0}) are used up", "the sequence passes the call on"},
	{NoMappings, "the service has none", "the service has no mapping"},
	{NoPathFits, "the path fits none of the {0} mappings of the service", "no mapping has the path of the call"},
	{OthersCompare, "the operation, or the first text that each compares, is another one", "mappings that were not asked one by one, since they cannot fit"},
	{HintAsks, "the hint of the call asks the contract", "a hint goes past the mappings"},
	{Close, "{part}: `{seen}`, expected `{expected}`", "it differs from the call in one part"},
	{Dispatched, "{0}", "how the operation of a SOAP message was found"},
	{Undispatched, "{0}", "why no operation takes a SOAP message"},
	{NotPosted, "messages come by POST, not {seen}", "a SOAP service was called by another method"},
	{ContractAsked, "the query asks for a document of it", "the contract was asked for"},
	{Deprecated, "the contract calls it deprecated", "the operation is deprecated"},
	{BreaksContract, "the service refuses calls that break its contract; deviations of this one: {0}", "the call was refused for its deviations"},
	{OptionsAsked, "no mapping and no operation of its own is for OPTIONS", "OPTIONS is answered from the contract"},
	{OriginAllowed, "the service lets pages of other origins call (cors: true)", "a browser asked before a call of another origin"},
	{UpstreamAsked, "{0}", "why the upstream is asked"},
	{HeadersSet, "on the way to the upstream the service sets {0}", "headers that the service sets on calls to its upstream"},
	{OwnOtherwise, "the service has an answer for calls that neither a mapping nor the contract answers", "the answer of otherwise is given"},

	{Remembered, "{0}", "what the call found or did in a collection of the memory"},
	{Recalled, "what is remembered under {0} was read", "expressions asked for values that the service remembers"},
	{Kept, "remembers {0}", "the answer made the service remember values"},
	{Moved, "{0} goes from {1} to {2}", "the answer moved a thing of a flow to another state"},
	{OtherState, "its {part} is in the state {seen}, and the mapping answers in {expected}", "the flow of the mapping is in another state"},
	{FlowFailed, "flow: {0}", "the expression that tells the things of a flow apart has no value for the call"},

	{FixedAnswer, "[{2}, ]fixed: status {0}, {1} bytes", "a fixed answer of a mapping"},
	{ScriptAnswer, "[{0}, ]what its script gives", "an answer that a script makes"},
	{Logged, "{0}", "what the script told console.log"},
	{FilledAnswer, "[{1}, ]status {0}, its expressions filled in", "an answer of a mapping with expressions"},
	{UpstreamAnswer, "[{0}, ]what the upstream answers", "a mapping answers from the upstream"},
	{Response, "{0}: {1}", "which response of the operation, and from what"},
	{Echoed, "values of the call stand in {0}", "fields of the call were echoed"},
	{Pinned, "fixed for this operation: {0}", "pins were set in the answer"},
	{NotPinned, "{0}", "a pin could not be set"},
	{OneByOne, "its {0} items are sent one by one, {1} apart", "the items of a stream are sent at the pace of the service"},
	{OriginalAnswer, "[{1}, ]what {0} answers", "a mapping answers with what another or the contract does"},
	{OriginalChosen, "{0}", "which answer of another mapping was taken"},
	{Edited, "steps applied: {0}", "the message was edited"},
	{NotEdited, "nothing is changed: {0}", "a test of the edit did not hold"},
	{NotModifiedSince, "the caller has it already, as the ETag or the time of its last change says", "a recorded answer was not sent again"},
	{CodingUndone, "the caller does not accept {0}, in which it was recorded, so it is sent without", "a recorded answer is sent without its content coding"},
	{OnTheWay, "{0}", "what happened while the call was relayed"},

	{Injection, "{0}[ (seed {1}, draw {2})]", "trouble was injected"},
	{SignInAsked, "it has programs get tokens at {0}", "the contract names where tokens come from"},
	{CallsBack, "calls {0} {1}[, {2}]", "a call that the service makes after the answer"},
	{CallbacksOff, "not made: callbacks of {0} are off", "a callback was left out, since the service makes none"},
	{CallbackFailed, "not made: {0}", "a callback could not be made"},
	{Packed, "bytes are sent as parts beside the message: {0}", "an answer was sent with its bytes in parts of their own"},
	{Unwanted, "the call wants no answer, so none is sent", "an answer was not sent, since the call asked for none"},
	{Attempted, "attempt {0} of at most {1}[, {2}]", "which attempt of a callback it is"},
	{Carried, "{0}", "what happened while the impairment was carried out"},

	{ByMapping, "Answered by mapping \"{0}\"[ of {1}], which fits {2}.", "a mapping answered"},
	{ByMappingContract, "Answered by mapping \"{0}\" with what the contract has: operation {1}, {2}{3}[, {4}].", "a mapping answered by the contract"},
	{ByMappingUpstream, "Answered by mapping \"{0}\" with what the upstream {1} said.", "a mapping answered from the upstream"},
	{ByMappingEdit, "Answered by mapping \"{0}\" with what the upstream said, edited.", "a mapping edited the upstream's answer"},
	{ByMappingOriginal, "Answered by mapping \"{0}\" with what {1} answers[, {2}].", "a mapping answered with what another does"},
	{ByContract, "Answered by the contract: operation {0}, {1}[{2}].", "the contract answered"},
	{ByUpstream, "Answered by the upstream {0}: {1}.", "the upstream answered"},
	{ByOtherwise, "Answered by what {0} says to calls that nothing else fits.", "the answer of otherwise was given"},
	{ByMemory, "Answered from the memory of the service, operation {0}: {1}.", "what the service remembers was read or changed"},
	{BySignIn, "{0}", "a token, or what belongs to it, was asked for"},
	{ByImpairment, "Refused by the impairment of {0}: {1}[, seed {2}, draw {3}].", "an impairment refused the call"},
	{Refused, "{0}", "Rapid Mimic refused the call"},
	{Missed, "Nothing in service \"{0}\" fits {1} {2}.[ {among}]", "a miss"},
	{Empty, "It has neither a contract nor a mapping yet.", "the service is empty"},
	{ClosestConditions, "Closest is mapping {0}, {1}, whose conditions do not hold: {among}.", "the closest mapping of a miss"},
	{ClosestPart, "Closest is {0} {1}, {2}; it differs in {part}: `{seen}`, expected `{expected}`.", "the closest mapping or operation of a miss"},
	{KnownSkipped, "Operation {0} takes this call, and cannot answer: {1}.", "the contract has the operation, which was skipped when it was imported"},
	{Unsigned, "The contract demands credentials, and the service refuses calls without them: {0}.", "the call lacks the credentials that the contract demands"},
	{MissedService, "No service is named \"{0}\".[ Did you mean \"{1}\"?][ {2}]", "the path names a service that does not exist"},
	{Preflight, "A browser asked whether a page of {0} may call, and it may.", "a preflight was answered"},
	{Options, "The call asked which methods are answered: {0}.", "OPTIONS was answered"},
	{ContractServed, "The call asked for the contract, which is served with the addresses of this service in it.", "the contract was served"},
	{RootPage, "The bare address was asked for, which belongs to no service.", "the root page was served"},
	{CallerLeft, "The caller left before its call was decided.", "the caller left"},
	{NotACall, "The request is malformed: {0}.", "the request was refused before it was a call"},
	{CalledBack, "The service made this call: {0}.", "a callback or webhook was answered"},
	{NotCalledBack, "The service made this call, {0}, and got no answer: {1}.", "a callback or webhook got no answer"},
	{NoInterception, "A connection to {0} could not be intercepted: {1}.", "a TLS connection could not be intercepted"},
}

var sentences = func() map[Code]string {
	texts := make(map[Code]string, len(table))
	for _, e := range table {
		texts[e.code] = e.text
	}
	return texts
}()

// Codes gives every code with what it means, those of steps first.
func Codes(yield func(code Code, meaning string) bool) {
	for _, e := range table {
		if !yield(e.code, e.meaning) {
			return
		}
	}
}
