package report

// LockFolder is what a run at work does to its folder.
var LockFolder = lockFolder
