#!/bin/sh
# The host's own hook: git asks it for every ref that a push would move. The host itself moves refs without it.
ref=$1 old=$2
branch=${ref#refs/heads/}
refuse() {
    echo "The host refuses $ref: $1." >&2
    exit 1
}
case $ref in
refs/heads/* | refs/tags/*) ;;
*) refuse "only branches and tags are pushed" ;;
esac
case $old in
*[!0]*) new=no ;;
*) new=yes ;;
esac
if git config --get-all swage.protected | grep -Fxq -e "$branch"; then
    # Somebody has to bring the first commit.
    [ "$new" = yes ] && [ "${SWAGE_ROLE:-maintainer}" = maintainer ] && exit 0
    refuse "it is protected; offer a proposal with \`swage propose\`"
fi
# A push by path, without the host's knowledge of people, may do what the file system lets it.
[ -n "$SWAGE_ROLE" ] || exit 0
[ "$SWAGE_ROLE" = maintainer ] && exit 0
if [ -n "$SWAGE_OWNER" ]; then
    [ "$SWAGE_OWNER" = "$SWAGE_PERSON" ] && exit 0
    refuse "the repository is $SWAGE_OWNER's"
fi
case $ref in
refs/heads/"$SWAGE_PERSON"/*) exit 0 ;;
esac
refuse "contributors push to branches called $SWAGE_PERSON/..., or to a repository of their own"
