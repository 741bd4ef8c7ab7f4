#!/bin/sh
# The steps of a pipeline, one at a time: pipeline.sh STEP [TARGET]. It runs in the project's folder; what one step writes to release/ is
# carried, unchanged, to the next one.
set -eu

wevrun=${WEVRUN:-wevrun}
step=${1:?name a step: build, compare, package, deploy, drift}
snapshot=release/schema.wsnap

# The exit status of a command that reports differences: 3 is an answer, not a failure.
answered() {
    status=0
    "$@" || status=$?
    case $status in 0 | 3) return 0 ;; *) return "$status" ;; esac
}

case $step in
build)
    # On each change: errors fail the build, and are shown at their lines.
    mkdir -p release
    status=0
    "$wevrun" build --out "$snapshot" --format junit >release/build.xml || status=$?
    exit "$status"
    ;;
compare)
    # What the change would do to a target, as a comment for the pull request and as a page.
    target=${2:?name a target}
    answered "$wevrun" compare "$target" --want "$snapshot" --format markdown --report "release/$target.html" >"release/$target.md"
    ;;
package)
    # The script for a target, for a person to read and approve.
    target=${2:?name a target}
    status=0
    "$wevrun" script "$target" --want "$snapshot" --out "release/$target.sql" --fail-on nothing || status=$?
    # 6: there is nothing to do; an empty script says so.
    case $status in 0 | 6) ;; *) exit "$status" ;; esac
    ;;
deploy)
    # Runs exactly the script that was approved. If the target has changed since, nothing is done, and the status is 5.
    target=${2:?name a target}
    "$wevrun" deploy "release/$target.sql" "$target"
    ;;
drift)
    # Each night: 3 if somebody has changed the target behind the release's back.
    target=${2:?name a target}
    mkdir -p release
    "$wevrun" drift "$target" --fail-on unproven --format junit >"release/drift-$target.xml"
    ;;
*)
    echo "there is no step $step" >&2
    exit 2
    ;;
esac
