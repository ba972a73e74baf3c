import { share } from './share';
import { useQuery } from '@tanstack/react-query';
import { Box, Flex, chakra } from '@chakra-ui/react';
import { type Summary } from '../../shared/api/client';
import { ask } from '../../shared/api/questions';
import { Fixes } from '../../shared/draft/Fixes';
import { Mono, Plain, Quiet, Trouble, Waiting } from '../../shared/parts/parts';
import { Scroll } from '../../shared/parts/table';
import { plural } from '../../shared/parts/words';

interface Props {
  id: string;
  when: string;
  prefixes: string[];
  area: string;
  close: () => void;
}

/** One prefix for several: the bits side by side, what else it covers, and what to paste. */
export function SummaryHelper({ id, when, prefixes, area, close }: Props) {
  const data = useQuery(ask.summary(id, when, prefixes, area));
  return (
    <Scroll label="Summary" p={4} mb={3} maxH="46%">
      <Flex align="baseline" gap={3} mb={2}>
        <Box as="h2" fontSize="15px" flex={1}>
          {data.data ? (
            <>
              <Mono fontSize="15px" fontWeight="650">
                {data.data.prefix}
              </Mono>{' '}
              covers {plural(data.data.rows.length, 'chosen prefix', 'chosen prefixes')}
              {data.data.also.length > 0 && `, and ${plural(data.data.also.length, 'other')}`}
            </>
          ) : (
            'Summary'
          )}
        </Box>
        <Plain size="xs" h="24px" onClick={close}>
          close
        </Plain>
      </Flex>
      {data.error && <Trouble error={data.error} />}
      {!data.error && !data.data && <Waiting what="comparing bits" />}
      {data.data && (
        <Flex gap={8} wrap="wrap" align="flex-start">
          <Bits summary={data.data} />
          <Box flex={1} minW="260px">
            <ToPaste summary={data.data} />
            <Also summary={data.data} />
          </Box>
        </Flex>
      )}
    </Scroll>
  );
}

/** The prefixes in bits: what all share is marked, what is beyond a prefix's length is faint. */
function Bits({ summary }: { summary: Summary }) {
  return (
    <table style={{ borderCollapse: 'collapse' }}>
      <tbody>
        {summary.rows.map((r) => (
          <tr key={r.prefix}>
            <td style={{ paddingRight: 12 }}>
              <Mono>{r.prefix}</Mono>
            </td>
            <td style={{ whiteSpace: 'nowrap' }}>
              {[0, 8, 16, 24].map((o) => (
                <Mono key={o} mr="7px" letterSpacing="1px">
                  {Array.from(r.bits.slice(o, o + 8)).map((b, i) => {
                    const at = o + i;
                    const common = at < summary.common;
                    return (
                      <Box
                        as="span"
                        key={at}
                        bg={common ? 'leafSoft' : undefined}
                        color={common ? 'leaf' : at < r.length ? 'ink' : 'line'}
                        fontWeight={common ? 650 : 400}
                      >
                        {b}
                      </Box>
                    );
                  })}
                </Mono>
              ))}
            </td>
          </tr>
        ))}
        <tr>
          <td />
          <td>
            <Quiet fontSize="11px">
              {summary.common} leading bits in common, marked; bits beyond a prefix&apos;s length are faint
            </Quiet>
          </td>
        </tr>
      </tbody>
    </table>
  );
}

function ToPaste({ summary }: { summary: Summary }) {
  const text = summary.lines.join('\n');
  return (
    <Box mb={3}>
      {summary.lines.length > 0 && (
        <Flex gap={3} align="flex-start">
          <Box
            as="pre"
            fontFamily="mono"
            fontSize="12px"
            bg="paper"
            border="1px solid"
            borderColor="line"
            borderRadius="sm"
            px={3}
            py={1}
          >
            {text}
          </Box>
          <Plain size="xs" h="26px" onClick={() => void navigator.clipboard.writeText(`${text}\n`)}>
            Copy
          </Plain>
        </Flex>
      )}
      <Box mt={1}>
        {summary.says}
        {summary.on.length > 0 && `: ${summary.on.join(', ')}`}
        {summary.has.length > 0 && (
          <Box color="leaf">
            {summary.has.length === summary.on.length
              ? 'It is there already.'
              : `${summary.has.join(', ')} ${summary.has.length === 1 ? 'has' : 'have'} it already.`}
          </Box>
        )}
      </Box>
      <Fixes fixes={summary.fixes} />
    </Box>
  );
}

function Also({ summary }: { summary: Summary }) {
  return (
    <>
      {summary.also.length > 0 && (
        <Box mb={2}>
          <Box fontWeight="600" color="ochre">
            It covers these as well:
          </Box>
          {summary.also.map((a) => (
            <Box key={a.prefix}>
              <Mono>{a.prefix}</Mono> <Quiet>{a.where}</Quiet>
            </Box>
          ))}
        </Box>
      )}
      <Quiet>
        {summary.gaps.length === 0
          ? 'Every address that it covers is one of theirs.'
          : `${share(summary.free)} of its addresses are in no network: `}
      </Quiet>
      {summary.gaps.slice(0, 8).map((g) => (
        <chakra.span key={g} mr={2} display="inline-block">
          <Mono color="quiet">{g}</Mono>
        </chakra.span>
      ))}
      {summary.gaps.length > 8 && <Quiet>and more</Quiet>}
    </>
  );
}
