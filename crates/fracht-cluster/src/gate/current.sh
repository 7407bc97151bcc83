now=`date +%s`
end=`expr $now + $WITHIN_SECONDS`
api=https://kubernetes.default.svc/apis/apps/v1/namespaces/$NAMESPACE/$RESOURCE/$NAME
number() {
  rest=${2#*\"$1\":}
  if [ "$rest" = "$2" ]; then echo 0; else echo "${rest%%[!0-9]*}"; fi
}
while :; do
  token=`cat "$API_FOLDER/token"`
  answer=`curl -sS -m 10 --cacert "$API_FOLDER/ca.crt" -H "Authorization: Bearer $token" $api | tr -d ' \n'`
  case $answer in
    *'"code":404'*) echo "$NAME not found: apply the stack again" ;;
    *'"code":403'*) echo "not allowed to read $NAME: apply the stack again" ;;
    *'"status":{'*)
      status=${answer##*\"status\":\{}
      above=${answer%\"status\":\{*}
      meta=${above%%\"spec\":\{*}
      spec=${above#*\"spec\":\{}
      wanted=`number replicas "$spec"`
      ready=`number availableReplicas "$status"`
      is_new=no
      case $meta in *"\"fracht/version\":\"$VERSION\""*) is_new=yes ;; esac
      if [ -z "$VERSION" ]; then is_new=yes; fi
      if [ $is_new = yes ] &&
        [ `number observedGeneration "$status"` -ge `number generation "$meta"` ] &&
        [ `number replicas "$status"` -eq "$wanted" ] &&
        [ `number updatedReplicas "$status"` -eq "$wanted" ] &&
        [ "$ready" -eq "$wanted" ]; then
        echo "$SERVICE is current"
        exit 0
      fi
      echo "$SERVICE: $ready of $wanted replicas are available"
      ;;
  esac
  if [ `date +%s` -ge $end ]; then
    echo "gave up after $WITHIN of waiting for $SERVICE to be current"
    exit 75
  fi
  echo "waiting for $SERVICE to be current"
  sleep 2
done
