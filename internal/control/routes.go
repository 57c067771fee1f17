package control

import (
	"regexp"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/access"
)

// route is one call of the API: a path below /api/v1 and what answers it.
type route struct {
	method, path string
	handle       gin.HandlerFunc
	demand
}

// demand is what a token must be for to make a call. A call about a service, or in a lane, is
// refused to tokens that are limited to others; one about the whole environment to those that
// are limited to some services.
type demand struct {
	right access.Right
	// limited lets tokens that are limited to services call it all the same: what answers it
	// sees to the limits.
	limited bool
	// open is for everybody, before they have said who they are.
	open bool
}

// What calls demand.
var (
	everybody  = demand{right: access.View, limited: true, open: true}
	view       = demand{right: access.View}
	test       = demand{right: access.Test}
	edit       = demand{right: access.Edit}
	administer = demand{right: access.Administer}
)

// shared is for calls that see to the limits of tokens themselves.
func (d demand) shared() demand {
	d.limited = true
	return d
}

// streamPath never ends, so nobody asks for its head.
const streamPath = "/calls/stream"

var pathParameter = regexp.MustCompile(`:(\w+)`)

// inDocument is a path as the API document writes it.
func inDocument(path string) string { return pathParameter.ReplaceAllString(path, "{$1}") }

// table is the whole API, a group for each resource. The API document describes the
// same routes, which a test compares.
func (s *server) table() []route {
	return []route{
		{"GET", "", s.getIndex, view.shared()},
		{"GET", "/openapi.yaml", s.getOpenAPI, view.shared()},
		{"GET", "/status", s.getStatus, view.shared()},

		{"GET", "/me", s.getMe, view.shared()},
		{"POST", "/logins", s.postLogin, view.shared()},
		{"GET", "/sign-in", s.getSignIn, everybody},
		{"POST", "/sessions", s.postSession, everybody},
		{"GET", "/tokens", s.listTokens, administer},
		{"POST", "/tokens", s.postToken, administer},
		{"DELETE", "/tokens/:token", s.deleteToken, administer},

		{"GET", "/backup", s.getBackup, administer},
		{"GET", "/log-level", s.getLogLevel, administer},
		{"PUT", "/log-level", s.putLogLevel, administer},

		{"GET", "/presence", s.listPresence, view.shared()},
		{"PUT", "/presence/:visitor", s.putPresence, view.shared()},
		{"DELETE", "/presence/:visitor", s.deletePresence, view.shared()},

		{"GET", "/reference", s.listReference, view.shared()},
		{"GET", "/reference/:operation", s.getReference, view.shared()},
		{"GET", "/functions", s.listFunctions, view.shared()},
		{"GET", "/schemas/:schema", s.getSchema, view.shared()},

		{"POST", "/imports", s.postImport, edit.shared()},

		{"GET", "/authority", s.getAuthority, view.shared()},
		{"POST", "/authority/rotations", s.rotateAuthority, administer},
		{"POST", "/digests", s.postDigest, edit},
		{"POST", "/apply", s.postApply, edit},
		{"POST", "/export", s.postExport, view.shared()},
		{"POST", "/comparisons", s.postComparison, view.shared()},

		{"GET", "/services", s.listServices, view.shared()},
		{"POST", "/services", s.postServices, edit.shared()},
		{"GET", "/services/:service", s.getService, view},
		{"PUT", "/services/:service", s.putService, edit},
		{"PATCH", "/services/:service", s.again(s.patchService), edit},
		{"DELETE", "/services/:service", s.deleteService, edit},
		{"GET", "/services/:service/contract", s.getContract, view},
		{"GET", "/services/:service/operations", s.listOperations, view},
		{"GET", "/services/:service/operations/:operation", s.getOperation, view},
		{"GET", "/services/:service/operations/:operation/pins", s.getPins, view},
		{"PUT", "/services/:service/operations/:operation/pins", s.putPins, edit},
		{"DELETE", "/services/:service/operations/:operation/pins", s.deletePins, edit},
		{"POST", "/services/:service/test-calls", s.postTestCall, test},
		{"POST", "/services/:service/explain", s.postExplain, view},
		{"POST", "/services/:service/trials", s.postTrial, view},
		{"GET", "/services/:service/webhooks", s.listWebhooks, view},
		{"POST", "/services/:service/webhooks/:webhook/calls", s.postWebhook, edit},
		{"GET", "/services/:service/broken-examples", s.listBrokenExamples, view},
		{"GET", "/services/:service/revisions", s.listRevisions, view},
		{"GET", "/services/:service/revisions/:revision", s.getRevision, view},
		{"GET", "/services/:service/revisions/:revision/changes", s.getChanges, view},

		{"GET", "/services/:service/mappings", s.listMappings, view},
		{"POST", "/services/:service/mappings", s.postMappings, edit},
		{"GET", "/services/:service/mappings/:mapping", s.getMapping, view},
		{"PUT", "/services/:service/mappings/:mapping", s.putMapping, edit},
		{"PATCH", "/services/:service/mappings/:mapping", s.again(s.patchMapping), edit},
		{"DELETE", "/services/:service/mappings/:mapping", s.deleteMapping, edit},

		{"PATCH", "/services/:service/mappings", s.again(s.patchMappings), edit},
		{"DELETE", "/services/:service/mappings", s.deleteMappings, edit},
		{"POST", "/services/:service/mappings/copies", s.postCopies, edit},
		{"POST", "/services/:service/mappings/resets", s.postResets, edit},
		{"POST", "/services/:service/mappings/restores", s.postRestores, edit},
		{"GET", "/mappings", s.listMappings, view.shared()},
		{"PATCH", "/mappings", s.again(s.patchMappings), edit.shared()},
		{"DELETE", "/mappings", s.deleteMappings, edit.shared()},
		{"GET", "/services/:service/removed-mappings", s.listRemovedMappings, view},
		{"GET", "/services/:service/mappings/:mapping/versions", s.listMappingVersions, view},
		{"GET", "/services/:service/mappings/:mapping/versions/:version", s.getMappingVersion, view},
		{"POST", "/services/:service/mappings/:mapping/restore", s.restoreMapping, edit},
		{"POST", "/services/:service/mappings/:mapping/copies", s.copyMapping, edit},
		{"POST", "/services/:service/mappings/:mapping/loosenings", s.postLoosening, edit},
		{"DELETE", "/services/:service/mappings/:mapping/positions", s.resetPositions, edit},
		{"DELETE", "/services/:service/mappings/:mapping/counts", s.resetCounts, edit},

		{"GET", "/services/:service/boundary-values", s.listBoundaries, view},
		{"POST", "/services/:service/boundary-scenarios", s.createBoundaryScenarios, edit},
		{"GET", "/walks", s.listWalks, view},
		{"POST", "/walks", s.createWalk, edit},
		{"GET", "/walks/:walk", s.getWalk, view},
		{"DELETE", "/walks/:walk", s.deleteWalk, edit},
		{"PUT", "/walks/:walk/position", s.putWalkPosition, edit},
		{"PUT", "/walks/:walk/steps/:step", s.putWalkNote, edit},
		{"POST", "/walks/:walk/end", s.endWalk, edit},
		{"GET", "/walks/:walk/report", s.getWalkReport, view},

		{"GET", "/services/:service/recordings", s.listRecordings, view},
		{"POST", "/services/:service/recordings", s.postRecording, edit},
		{"POST", "/services/:service/recording-imports", s.postHAR, edit},
		{"POST", "/services/:service/recording-trials", s.postRecordingTrial, view},
		{"GET", "/services/:service/recordings/:recording", s.getRecording, view},
		{"DELETE", "/services/:service/recordings/:recording", s.deleteRecording, edit},
		{"GET", "/services/:service/recordings/:recording/calls", s.listRecordedCalls, view},
		{"GET", "/services/:service/recordings/:recording/har", s.getHAR, view},
		{"GET", "/services/:service/recordings/:recording/contract", s.getProposedContract, view},
		{"POST", "/services/:service/recordings/:recording/stop", s.stopRecording, edit},
		{"GET", "/services/:service/recordings/:recording/items", s.listRecordedItems, view},
		{"GET", "/services/:service/latencies", s.listLatencies, view},
		{"GET", "/services/:service/recordings/:recording/latencies", s.listLatencies, view},
		{"POST", "/services/:service/recordings/:recording/replays", s.postReplay, edit},
		{"GET", "/services/:service/recordings/:recording/comparisons/:other", s.getComparison, view},
		{"PUT", "/services/:service/recordings/:recording/attendance", s.putAttendance, edit},
		{"POST", "/services/:service/recordings/:recording/mappings", s.postRecordedMappings, edit},

		{"GET", "/services/:service/memory", s.getMemory, view},
		{"POST", "/services/:service/memory-resets", s.resetMemory, edit},
		{"GET", "/services/:service/memory-values", s.listValues, view},
		{"PUT", "/services/:service/memory-values/:key", s.putValue, edit},
		{"DELETE", "/services/:service/memory-values/:key", s.deleteValue, edit},
		{"GET", "/services/:service/flows", s.listFlows, view},
		{"PUT", "/services/:service/flows/:flow", s.moveThing, edit},
		{"GET", "/services/:service/memory/:collection", s.listRemembered, view},
		{"PUT", "/services/:service/memory/:collection/:item", s.putRemembered, edit},
		{"DELETE", "/services/:service/memory/:collection/:item", s.deleteRemembered, edit},

		{"GET", "/services/:service/payloads", s.listPayloads, view},
		{"GET", "/services/:service/payloads/:payload", s.getPayload, view},
		{"PUT", "/services/:service/payloads/:payload", s.putPayload, edit},
		{"DELETE", "/services/:service/payloads/:payload", s.deletePayload, edit},

		{"GET", "/impairments", s.listImpairments, view.shared()},
		{"PATCH", "/impairments", s.again(s.patchImpairments), edit},
		{"POST", "/impairments/reset", s.resetImpairments, edit},
		{"PUT", "/impairments", s.putImpairment, edit},
		{"DELETE", "/impairments", s.deleteImpairment, edit},
		{"GET", "/services/:service/impairments", s.listImpairments, view},
		{"PUT", "/services/:service/impairments", s.putImpairment, edit},
		{"PATCH", "/services/:service/impairments", s.again(s.patchImpairments), edit},
		{"DELETE", "/services/:service/impairments", s.deleteImpairment, edit},

		{"GET", "/scenarios", s.listScenarios, view.shared()},
		{"POST", "/scenarios", s.postScenarios, edit},
		{"GET", "/scenarios/:scenario", s.getScenario, view.shared()},
		{"PUT", "/scenarios/:scenario", s.putScenario, edit},
		{"PATCH", "/scenarios/:scenario", s.again(s.patchScenario), edit},
		{"DELETE", "/scenarios/:scenario", s.deleteScenario, edit},
		{"GET", "/activations", s.getActive, view.shared()},
		{"PUT", "/activations", s.putActive, edit},
		{"DELETE", "/activations", s.deleteActive, edit},
		{"POST", "/activations/reset", s.resetActive, edit},
		{"POST", "/scenario-drafts", s.postDraft, view},

		{"GET", "/lanes", s.listLanes, view.shared()},
		{"POST", "/lanes", s.postLanes, test.shared()},
		{"GET", "/lanes/:lane", s.getLane, view},
		{"PUT", "/lanes/:lane", s.putLane, test},
		{"PATCH", "/lanes/:lane", s.again(s.patchLane), test},
		{"DELETE", "/lanes/:lane", s.deleteLane, test},

		{"GET", "/lines", s.listLines, view.shared()},
		{"GET", "/lines/:line", s.getLine, view.shared()},
		{"PUT", "/lines/:line", s.putLine, edit},
		{"PATCH", "/lines/:line", s.again(s.patchLine), edit},
		{"DELETE", "/lines/:line", s.deleteLine, edit},

		{"GET", "/activity", s.listActivity, view.shared()},
		{"GET", "/activity/:entry", s.getEntry, view.shared()},
		{"POST", "/activity/:entry/undo", s.undoEntry, edit.shared()},
		{"GET", "/differences", s.listDifferences, view.shared()},
		{"GET", "/marks", s.listMarks, view.shared()},
		{"POST", "/marks", s.postMark, edit},
		{"PATCH", "/marks/:mark", s.patchMark, edit},
		{"DELETE", "/marks/:mark", s.deleteMark, edit},
		{"POST", "/marks/:mark/returns", s.postReturn, edit},

		{"GET", "/variables", s.getVariables, view.shared()},
		{"PUT", "/variables", s.putVariables, edit},
		{"PATCH", "/variables", s.again(s.patchVariables), edit},
		{"GET", "/services/:service/variables", s.listServiceVariables, view},

		{"GET", "/ignored", s.getIgnored, view.shared()},
		{"PUT", "/ignored", s.putIgnored, edit},
		{"PATCH", "/ignored", s.again(s.patchIgnored), edit},
		{"POST", "/ignored", s.postIgnored, edit},

		{"GET", "/calls", s.listCalls, view.shared()},
		{"DELETE", "/calls", s.clearCalls, administer},
		{"POST", "/calls/assert", s.postAssertion, view.shared()},
		{"GET", "/calls/retries", s.listRetries, view.shared()},
		{"GET", "/services/:service/timings", s.getTimings, view},
		{"GET", "/search", s.getSearch, view.shared()},
		{"GET", "/calls/timeline", s.getTimeline, view.shared()},
		{"GET", streamPath, s.streamCalls, view.shared()},
		{"GET", "/calls/:call", s.getCall, view.shared()},
		{"GET", "/calls/:call/comparison", s.getCallComparison, view.shared()},
	}
}
