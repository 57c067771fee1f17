package api

// Presence says where a page of the console is.
type Presence struct {
	At string `json:"at"` // the path of the page
	// Editing is set while somebody types in a form of the page.
	Editing bool `json:"editing,omitempty"`
}

// Present is somebody who has the console open.
type Present struct {
	Visitor string `json:"visitor"` // tells pages apart
	Name    string `json:"name,omitempty"`
	At      string `json:"at"`
	Editing bool   `json:"editing,omitempty"`
}
