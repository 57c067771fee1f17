package control

import (
	"regexp"

	"github.com/gin-gonic/gin"
)

// route is one call of the API: a path below /api/v1 and what answers it.
type route struct {
	method, path string
	handle       gin.HandlerFunc
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
		{"GET", "", s.getIndex},
		{"GET", "/openapi.yaml", getOpenAPI},
		{"GET", "/status", s.getStatus},

		{"GET", "/reference", s.listReference},
		{"GET", "/reference/:operation", s.getReference},
		{"GET", "/functions", s.listFunctions},
		{"GET", "/schemas/:schema", s.getSchema},

		{"POST", "/imports", s.postImport},

		{"GET", "/authority", s.getAuthority},
		{"POST", "/authority/rotations", s.rotateAuthority},
		{"POST", "/digests", s.postDigest},
		{"POST", "/apply", s.postApply},
		{"POST", "/export", s.postExport},
		{"POST", "/comparisons", s.postComparison},

		{"GET", "/services", s.listServices},
		{"POST", "/services", s.postServices},
		{"GET", "/services/:service", s.getService},
		{"PUT", "/services/:service", s.putService},
		{"PATCH", "/services/:service", s.again(s.patchService)},
		{"DELETE", "/services/:service", s.deleteService},
		{"GET", "/services/:service/contract", s.getContract},
		{"GET", "/services/:service/operations", s.listOperations},
		{"GET", "/services/:service/operations/:operation", s.getOperation},
		{"GET", "/services/:service/operations/:operation/pins", s.getPins},
		{"PUT", "/services/:service/operations/:operation/pins", s.putPins},
		{"DELETE", "/services/:service/operations/:operation/pins", s.deletePins},
		{"POST", "/services/:service/test-calls", s.postTestCall},
		{"POST", "/services/:service/explain", s.postExplain},
		{"POST", "/services/:service/trials", s.postTrial},
		{"GET", "/services/:service/revisions", s.listRevisions},
		{"GET", "/services/:service/revisions/:revision", s.getRevision},
		{"GET", "/services/:service/revisions/:revision/changes", s.getChanges},

		{"GET", "/services/:service/mappings", s.listMappings},
		{"POST", "/services/:service/mappings", s.postMappings},
		{"GET", "/services/:service/mappings/:mapping", s.getMapping},
		{"PUT", "/services/:service/mappings/:mapping", s.putMapping},
		{"PATCH", "/services/:service/mappings/:mapping", s.again(s.patchMapping)},
		{"DELETE", "/services/:service/mappings/:mapping", s.deleteMapping},

		{"PATCH", "/services/:service/mappings", s.again(s.patchMappings)},
		{"DELETE", "/services/:service/mappings", s.deleteMappings},
		{"POST", "/services/:service/mappings/copies", s.postCopies},
		{"POST", "/services/:service/mappings/resets", s.postResets},
		{"POST", "/services/:service/mappings/restores", s.postRestores},
		{"GET", "/mappings", s.listMappings},
		{"PATCH", "/mappings", s.again(s.patchMappings)},
		{"DELETE", "/mappings", s.deleteMappings},
		{"GET", "/services/:service/removed-mappings", s.listRemovedMappings},
		{"GET", "/services/:service/mappings/:mapping/versions", s.listMappingVersions},
		{"GET", "/services/:service/mappings/:mapping/versions/:version", s.getMappingVersion},
		{"POST", "/services/:service/mappings/:mapping/restore", s.restoreMapping},
		{"POST", "/services/:service/mappings/:mapping/copies", s.copyMapping},
		{"POST", "/services/:service/mappings/:mapping/loosenings", s.postLoosening},
		{"DELETE", "/services/:service/mappings/:mapping/positions", s.resetPositions},
		{"DELETE", "/services/:service/mappings/:mapping/counts", s.resetCounts},

		{"GET", "/services/:service/recordings", s.listRecordings},
		{"POST", "/services/:service/recordings", s.postRecording},
		{"POST", "/services/:service/recording-imports", s.postHAR},
		{"POST", "/services/:service/recording-trials", s.postRecordingTrial},
		{"GET", "/services/:service/recordings/:recording", s.getRecording},
		{"DELETE", "/services/:service/recordings/:recording", s.deleteRecording},
		{"GET", "/services/:service/recordings/:recording/calls", s.listRecordedCalls},
		{"GET", "/services/:service/recordings/:recording/har", s.getHAR},
		{"POST", "/services/:service/recordings/:recording/stop", s.stopRecording},
		{"GET", "/services/:service/latencies", s.listLatencies},
		{"GET", "/services/:service/recordings/:recording/latencies", s.listLatencies},
		{"POST", "/services/:service/recordings/:recording/replays", s.postReplay},
		{"GET", "/services/:service/recordings/:recording/comparisons/:other", s.getComparison},
		{"PUT", "/services/:service/recordings/:recording/attendance", s.putAttendance},
		{"POST", "/services/:service/recordings/:recording/mappings", s.postRecordedMappings},

		{"GET", "/services/:service/payloads", s.listPayloads},
		{"GET", "/services/:service/payloads/:payload", s.getPayload},
		{"PUT", "/services/:service/payloads/:payload", s.putPayload},
		{"DELETE", "/services/:service/payloads/:payload", s.deletePayload},

		{"GET", "/impairments", s.listImpairments},
		{"PATCH", "/impairments", s.again(s.patchImpairments)},
		{"POST", "/impairments/reset", s.resetImpairments},
		{"PUT", "/impairments", s.putImpairment},
		{"DELETE", "/impairments", s.deleteImpairment},
		{"GET", "/services/:service/impairments", s.listImpairments},
		{"PUT", "/services/:service/impairments", s.putImpairment},
		{"PATCH", "/services/:service/impairments", s.again(s.patchImpairments)},
		{"DELETE", "/services/:service/impairments", s.deleteImpairment},

		{"GET", "/scenarios", s.listScenarios},
		{"POST", "/scenarios", s.postScenarios},
		{"GET", "/scenarios/:scenario", s.getScenario},
		{"PUT", "/scenarios/:scenario", s.putScenario},
		{"PATCH", "/scenarios/:scenario", s.again(s.patchScenario)},
		{"DELETE", "/scenarios/:scenario", s.deleteScenario},
		{"GET", "/activations", s.getActive},
		{"PUT", "/activations", s.putActive},
		{"DELETE", "/activations", s.deleteActive},
		{"POST", "/activations/reset", s.resetActive},
		{"POST", "/scenario-drafts", s.postDraft},

		{"GET", "/lanes", s.listLanes},
		{"POST", "/lanes", s.postLanes},
		{"GET", "/lanes/:lane", s.getLane},
		{"PUT", "/lanes/:lane", s.putLane},
		{"PATCH", "/lanes/:lane", s.again(s.patchLane)},
		{"DELETE", "/lanes/:lane", s.deleteLane},

		{"GET", "/lines", s.listLines},
		{"GET", "/lines/:line", s.getLine},
		{"PUT", "/lines/:line", s.putLine},
		{"PATCH", "/lines/:line", s.again(s.patchLine)},
		{"DELETE", "/lines/:line", s.deleteLine},

		{"GET", "/activity", s.listActivity},
		{"GET", "/activity/:entry", s.getEntry},
		{"POST", "/activity/:entry/undo", s.undoEntry},
		{"GET", "/differences", s.listDifferences},
		{"GET", "/marks", s.listMarks},
		{"POST", "/marks", s.postMark},
		{"PATCH", "/marks/:mark", s.patchMark},
		{"DELETE", "/marks/:mark", s.deleteMark},
		{"POST", "/marks/:mark/returns", s.postReturn},

		{"GET", "/variables", s.getVariables},
		{"PUT", "/variables", s.putVariables},
		{"PATCH", "/variables", s.again(s.patchVariables)},
		{"GET", "/services/:service/variables", s.listServiceVariables},

		{"GET", "/ignored", s.getIgnored},
		{"PUT", "/ignored", s.putIgnored},
		{"PATCH", "/ignored", s.again(s.patchIgnored)},
		{"POST", "/ignored", s.postIgnored},

		{"GET", "/calls", s.listCalls},
		{"DELETE", "/calls", s.clearCalls},
		{"POST", "/calls/assert", s.postAssertion},
		{"GET", "/calls/retries", s.listRetries},
		{"GET", "/services/:service/timings", s.getTimings},
		{"GET", streamPath, s.streamCalls},
		{"GET", "/calls/:call", s.getCall},
	}
}
