<?php
// Calls every operation and fault of the customs desk with a SOAP client that
// knows nothing but the served WSDL, in both versions of SOAP.
$item = ['line' => 1, 'kind' => 'fish', 'description' => 'Herring', 'pieces' => 40, 'weight' => '820.5'];
$calls = [
    'submitManifest' => ['vessel' => ['name' => 'Grey Gannet', 'callSign' => 'SKQ41'], 'arrival' => '2026-12-01T06:30:00Z', 'cargo' => [$item]],
    'askClearance' => ['manifest' => 'M-2041-SK'],
    'listHolds' => ['pier' => 'north'],
    'cancelManifest' => ['manifest' => 'M-2042-SK', 'reason' => 'called off'],
];
$faults = ['submitManifest' => 'cargoRefused', 'askClearance' => 'unknownManifest'];

function client(string $wsdl, int $version, array $headers = []): SoapClient
{
    $client = new SoapClient($wsdl, [
        'soap_version' => $version == 12 ? SOAP_1_2 : SOAP_1_1, 'cache_wsdl' => WSDL_CACHE_NONE, 'exceptions' => true,
        'stream_context' => stream_context_create(['http' => ['header' => implode("\r\n", $headers)]]),
    ]);
    if ($version == 12) { // it takes the first port of the contract by itself
        $client->__setLocation(str_replace('?wsdl', '/Desk12', $wsdl));
    }
    return $client;
}

foreach ([11, 12] as $version) {
    foreach ($calls as $operation => $args) {
        $answer = client($argv[1], $version)->$operation($args);
        if ($operation == 'askClearance' && $answer->manifest !== 'M-2041-SK') {
            throw new Exception("the manifest is " . $answer->manifest);
        }
        echo "$operation $version\n";
    }
    foreach ($faults as $operation => $fault) {
        try {
            client($argv[1], $version, ["Rapid-Mimic: example=\"$fault\""])->$operation($calls[$operation]);
            throw new Exception("no fault came");
        } catch (SoapFault $error) {
            if (!isset($error->detail->$fault->message)) {
                throw new Exception("the fault has no detail: " . print_r($error, true));
            }
        }
        echo "$fault $version\n";
    }
}
